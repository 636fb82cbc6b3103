"""HTTP: thin routers over store and jobs."""
