"""The model and its results as IFC4: one module a subject, over one writer of entities."""

from .model import write_ifc

__all__ = ["write_ifc"]
