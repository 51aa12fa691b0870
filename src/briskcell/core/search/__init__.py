"""Search: packs, boards and gauges judged by the hundred thousand."""
