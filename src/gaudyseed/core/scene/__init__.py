"""Scenes: the document, its moments and what follows them, and the run that makes and evaluates its populations."""
