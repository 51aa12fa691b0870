"""The whole shelf as one file, taken while it is used; and back again, judged first, whole or not at all."""
