"""HTTP: thin routers over the service."""
