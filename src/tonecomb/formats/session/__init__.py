"""Sessions and presets: an explicit schema, and a migration for each older version."""
