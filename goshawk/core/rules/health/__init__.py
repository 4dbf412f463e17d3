"""What goes wrong on air: measured moments in, troubles and events out."""
