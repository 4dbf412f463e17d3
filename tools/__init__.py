"""Programs for those who build Goshawk, not shipped with it."""

from goshawk.model_file import give_weights

give_weights()
