"""Ramps: stops, curves, bands, and the look-up of colours in them."""
