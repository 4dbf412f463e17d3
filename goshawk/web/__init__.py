"""FastAPI application: thin routes over the engine client, the store and the core's models."""
