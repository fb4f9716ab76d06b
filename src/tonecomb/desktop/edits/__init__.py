"""What the user says about one thing in the document."""
