"""What each particle is: its columns, its random numbers, what has happened to it, what forces add to it, who is near it."""
