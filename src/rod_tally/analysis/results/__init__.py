"""What a run gives and what follows from it by statics: forces, combinations, cuts, storeys."""
