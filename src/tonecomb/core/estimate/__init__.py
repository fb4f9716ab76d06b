"""Windows, frames, and what is estimated of them."""
