"""What everything stands on: errors, progress, settings, units."""
