"""Source elements to model. Every guess and every move is an entry of the transfer log."""

from .transfer import transfer

__all__ = ["transfer"]
