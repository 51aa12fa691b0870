"""How far answers lie off: what is uncertain, sampled, solved as one batch, and reweighted by what was measured."""
