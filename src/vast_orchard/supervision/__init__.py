"""Starting and watching PostgreSQL, the API and the workers."""
