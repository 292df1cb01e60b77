"""The base of all documents, paths and references in them, and the upgrade of older ones."""
