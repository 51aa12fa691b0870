"""Heat: where the watts go, and what case, cells and boards reach."""
