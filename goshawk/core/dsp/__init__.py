"""The stages of the chain and what they are made of, one module each."""
