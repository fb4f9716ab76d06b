"""Small windows that ask or tell one thing."""
