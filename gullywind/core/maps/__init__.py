"""Where a recording lies in time, and how a person changes that."""
