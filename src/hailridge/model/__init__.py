"""The effect document: Pydantic models, units, migrations and JSON Schema. Imports nothing else of ours."""
