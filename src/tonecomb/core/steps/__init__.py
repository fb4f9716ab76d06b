"""What is done to samples before they are analysed, a module a step."""
