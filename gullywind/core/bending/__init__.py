"""Another performance of the same part: which moments belong together, how sure that is, and the bend that follows."""
