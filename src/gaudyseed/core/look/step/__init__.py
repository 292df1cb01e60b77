"""What every step has in common: its base class, values, parameters, and what it tells about itself."""
