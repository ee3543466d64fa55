"""The web layer: thin FastAPI routers over the library and the runs. Frames travel as binary, progress over a WebSocket."""
