"""A document made ready: the plan of a run, the scene at a time, where its shapes are, and the moment that kinds work on."""
