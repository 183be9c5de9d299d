"""Ways in which a slab hands its loads to what carries it: panels, yield lines, strips."""
