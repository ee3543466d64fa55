"""How sources place, time and aim newborns."""
