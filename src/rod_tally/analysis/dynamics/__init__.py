"""Mass, modes, response spectra."""
