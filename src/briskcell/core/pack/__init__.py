"""Pack: runtime, reserve, storage, sessions in time, what fits the bay, how far the answer may lie off."""
