"""Motion: what particles are born of, what acts on them, and their states from frame to frame."""
