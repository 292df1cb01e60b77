"""What the computation runs on: tasks, caches with one budget, reused buffers, files mapped into memory."""
