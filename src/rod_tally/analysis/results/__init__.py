"""Results of a run, and those that follow from them by statics: forces, combinations, cuts, storeys."""
