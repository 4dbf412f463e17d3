"""How sound flows: every input through its chain, and the whole from inputs to feeds."""
