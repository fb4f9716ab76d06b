"""How results are told: the sentence, cautions, numbers."""
