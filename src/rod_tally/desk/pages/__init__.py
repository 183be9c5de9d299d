"""Panels and pages of their own: the steps, the details, rules, runs, combinations, a member."""
