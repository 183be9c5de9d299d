"""Models made from parameters: frames of bays and storeys, and façade frames."""

from .build import Made, make
from .recipe import Recipe, RecipeError

__all__ = ["Made", "Recipe", "RecipeError", "make"]
