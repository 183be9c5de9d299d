"""Checks that tell if second-order effects matter."""
