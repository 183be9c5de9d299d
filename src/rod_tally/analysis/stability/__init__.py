"""Whether second-order effects matter."""
