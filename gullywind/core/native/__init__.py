"""The inner loops that numpy has no words for, compiled from C at set-up."""
