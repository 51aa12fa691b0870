"""Questions of the Charge station."""
