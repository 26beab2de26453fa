"""The markers' keys and names on screen, in the order of the list."""

from __future__ import annotations

from nightly_spindle.core.library.markers import Marker

# number keys, mostly in the order in which markers come in an item
KEYS = {
    "1": Marker.CUE_IN,
    "2": Marker.INTRO_END,
    "3": Marker.HOOK_START,
    "4": Marker.HOOK_END,
    "5": Marker.SWEEPER,
    "6": Marker.SEGUE,
    "7": Marker.FADE_START,
    "8": Marker.CUE_OUT,
    "9": Marker.VOCAL_END,
}
KEY_OF = {marker: key for key, marker in KEYS.items()}
TIPS = {
    Marker.CUE_IN: "Where it starts to be played",
    Marker.INTRO_END: "Where the voice comes in: talk and voiceovers end before it",
    Marker.HOOK_START: "The few seconds that one knows it by begin here",
    Marker.HOOK_END: "The few seconds that one knows it by end here",
    Marker.SWEEPER: "A place for a sweeper; there may be any number",
    Marker.VOCAL_END: "Where the last word is over: no sweeper begins before it",
    Marker.SEGUE: "Where the next item starts while this one still sounds",
    Marker.FADE_START: "Set by hand, the fader goes down from here; measured, the recording itself "
    "fades from here",
    Marker.CUE_OUT: "Where it ends; what follows is not played",
}


def name_of(marker: Marker) -> str:
    """Return a marker's name as a caption."""
    words = marker.words
    return words[:1].upper() + words[1:]


# name, icon, text, tip; those that stay pressed
TOOLS = (
    ("previous", "arrow-left", "", "The item before (Page Up)"),
    ("next", "arrow-right", "", "The next item (Page Down)"),
    ("play", "play", "Listen", "Listen from the playhead, or stop (Space)"),
    ("hear", "headphones", "Listen at the marker", "Two seconds around the chosen marker (H)"),
    ("loop", "repeat", "Loop", "Play around the chosen marker again and again (L)"),
    (
        "zero",
        "magnet",
        "Snap to zero crossing",
        "Move the chosen marker to the nearest zero crossing (Z)",
    ),
    ("onset", "activity", "Snap to attack", "Move the chosen marker to the attack nearby (O)"),
    ("out", "zoom-out", "", "Further (-)"),
    ("in", "zoom-in", "", "Closer (+)"),
    ("whole", "audio-waveform", "Whole", "Show all of it (0)"),
    ("spectrum", "chart-area", "Spectrum", "Show what is heard at which pitch (S)"),
)
CHECKED = {"loop", "spectrum"}
