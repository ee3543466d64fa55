"""One module for each part of a step, in the order of the step; `simulation` puts them together."""
