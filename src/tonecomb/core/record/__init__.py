"""What was recorded: samples, their time base, figures, and what the user says about them."""
