"""Invented sound with known truth: voices, instruments, rooms and devices, all made by programs from a seed."""
