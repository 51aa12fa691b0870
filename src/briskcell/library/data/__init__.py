"""Part classes and chemistries as data; read by ``briskcell.library`` alone."""
