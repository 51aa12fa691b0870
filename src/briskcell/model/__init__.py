"""What a build is: validated, immutable documents."""
