"""What happened to a console, and what that says about its plan."""
