"""Pictures: read, worked out, and drawn small."""
