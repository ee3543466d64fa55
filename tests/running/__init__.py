"""How the tests are run: two processes that share them out, what each of them has once, and what is told at the end."""
