"""The pages of the Charge station."""
