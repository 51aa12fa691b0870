"""Ways out of the application: one list of all formats. None of them needs a server or a store."""
