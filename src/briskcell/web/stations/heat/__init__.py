"""The Heat station."""
