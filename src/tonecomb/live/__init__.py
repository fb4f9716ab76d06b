"""Sources of samples in time: a network stream, a file played as if live, and what they share."""
