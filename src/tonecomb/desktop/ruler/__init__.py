"""The resolution ruler below the stage."""
