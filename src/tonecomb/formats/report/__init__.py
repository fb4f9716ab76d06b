"""The HTML report and its pictures, which are also the pictures that the bench exports."""
