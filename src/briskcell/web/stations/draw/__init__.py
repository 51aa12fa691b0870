"""The pages of the Draw station."""
