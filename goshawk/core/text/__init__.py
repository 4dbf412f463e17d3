"""Goshawk's sentences in English, one module for each area. Each is made from typed facts: numbers, names, ids."""
