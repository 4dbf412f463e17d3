"""An evening on air: what is kept of it second by second, what happened, and what is told of it afterwards."""
