"""Ends that meet: which, where, how far they move, and what ties them."""
