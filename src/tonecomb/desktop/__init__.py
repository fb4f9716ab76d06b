"""The bench. Everything that knows Qt is below here."""
