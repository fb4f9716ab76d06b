"""What the user does that spans regions."""
