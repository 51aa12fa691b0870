"""Text or bytes to plans and back: one format a file."""
