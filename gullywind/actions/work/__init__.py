"""Work that takes time: begun, told of, ended, taken up again."""
