"""A step, one module a part: births, rules, motion and contact, leaving; `simulation` puts them together."""
