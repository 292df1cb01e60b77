"""Speed: ratios against plain reference scripts in the same run (``./gaudy bench``)."""
