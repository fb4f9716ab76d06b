"""What stands under the stage: the single frame, listening, live input, progress."""
