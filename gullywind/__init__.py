"""Gullywind lines up recordings of one event to one reference."""

__version__ = "0.1.0"
