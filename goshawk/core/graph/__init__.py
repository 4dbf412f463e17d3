"""How sound flows: the voice chain in order, and the whole from inputs to feeds."""
