"""Gaudy Seed: colour thousands of like things so that it looks chosen."""

__version__ = "0.1.0"
