"""The sentence above the stage, and the popovers that edit its phrases."""
