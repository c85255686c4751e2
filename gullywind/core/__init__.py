"""The pure core: arrays and numbers in, results out."""
