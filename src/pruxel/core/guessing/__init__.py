"""What bytes of an unknown format may be, from the bytes alone; each guess becomes a layout."""
