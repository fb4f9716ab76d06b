"""Reading and writing files: recordings, sessions, tables and reports."""
