"""Files: probing, decoding, writing. Arrays and values in and out."""
