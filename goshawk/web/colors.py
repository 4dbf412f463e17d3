"""The colors of both themes: their one home. They reach the page's styles by way of the OpenAPI document (``facts.py``), and the report
that is kept as a page directly."""

DUSK = {
    "ground": "#1c232b",
    "rail": "#12171c",
    "panel": "#232c36",
    "raised": "#2c3744",
    "line": "#3a4654",
    "text": "#ece6d9",
    "quiet": "#9fabb7",
    "voice": "#f0a840",
    "voice-strong": "#f0a840",
    "on-voice": "#1c232b",
    "game": "#7fabdd",
    "music": "#93bb78",
    "call": "#c797d0",
    "noise": "#7f8a96",
    "over": "#f4674a",
    "over-strong": "#f98468",
    "on-over": "#1c232b",
}

DAYLIGHT = {
    "ground": "#f4efe4",
    "rail": "#e7dfcd",
    "panel": "#fbf8f1",
    "raised": "#e9e1d0",
    "line": "#d3c9b5",
    "text": "#26303a",
    "quiet": "#535e68",
    "voice": "#b86a00",
    "voice-strong": "#8a4f00",
    "on-voice": "#fffaf0",
    "game": "#2c63a2",
    "music": "#416c28",
    "call": "#8a4a98",
    "noise": "#7b8590",
    "over": "#c73a1c",
    "over-strong": "#b02f13",
    "on-over": "#fffaf0",
}
"""The strong colors are for text, and for what text stands on: in daylight they are darker than the fills of the same name, for a contrast
of at least 4.5 : 1."""
