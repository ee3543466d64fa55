"""What is kept: effects, their versions, meshes, trials and computed frames, in one SQLite file through SQLAlchemy."""
