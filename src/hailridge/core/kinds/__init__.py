"""Everything that an effect can be built from: a class each, registered by being declared."""
