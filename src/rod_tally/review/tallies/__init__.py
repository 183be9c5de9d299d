"""The same things counted and measured on two sides: elements, loads by case and storey, what members carry,
take-off."""
