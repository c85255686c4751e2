"""Units, errors, words, speeds and frames: what every other room stands on."""
