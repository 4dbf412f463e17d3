"""Recordings without files and clocks: which tracks there are, how their sound is brought into line, what is written down of
them, and how they are drawn."""
