"""The tables below the view: the widget, and the rows of each table by subject."""
