"""Tables with a source in every row; read by ``core.tables`` alone."""
