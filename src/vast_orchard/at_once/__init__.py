"""What is answered within a request and is no job: records and the core's rules, nothing that takes long."""
