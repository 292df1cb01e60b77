"""Columns that are painted onto elements: how they are kept, how they come onto a population, and brushes."""
