"""The engine: a plan compiled into arrays and solved. It knows no station."""
