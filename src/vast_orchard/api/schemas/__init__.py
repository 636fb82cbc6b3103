"""What goes over the wire, a file a resource; values of the store are read into these by attribute."""
