"""The method and the document that holds it; what is looked for, in words and in files."""
