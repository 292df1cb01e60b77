"""Looks: the document, its compilation (kinds), its evaluation (cache, chunks), advisories."""
