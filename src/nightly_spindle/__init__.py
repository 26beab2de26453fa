"""Nightly Spindle: a small internet radio station that runs unattended all night."""

__version__ = "0.1.0"
