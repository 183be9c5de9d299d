"""The IFC reader: IFC2X3, IFC4 and IFC4X3, physical and analytical."""

from .read import SUFFIXES, read

__all__ = ["SUFFIXES", "read"]
