"""What is told about an evaluation: censuses, shares, rows, coverage."""
