"""The waveforms, with what is drawn over them."""
