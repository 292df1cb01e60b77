"""Meshes and places: surfaces to scatter on, frames, sampling."""
