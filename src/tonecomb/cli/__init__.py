"""The command line: one module a command. Qt is imported only to open the bench."""
