"""A finished drawing on its way to real sheets: its lines, order, kerf, places, time and risk."""
