"""The pages of the Brief station."""
