"""Plan to assessment: pure computation on arrays, with no interface, no storage and no clock."""
