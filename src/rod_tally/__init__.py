"""Rod Tally: from a building model to an analytical model that can be trusted."""

__version__ = "0.1.0"
