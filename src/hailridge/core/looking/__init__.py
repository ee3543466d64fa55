"""Looking at an effect and at what a run has recorded: what is drawn, whom a condition holds for and why, what advisories say."""
