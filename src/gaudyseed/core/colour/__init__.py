"""Colour arithmetic that does not know looks or populations."""
