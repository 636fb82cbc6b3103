"""Networks as data, their shapes and parameters, and the layers that compute them."""
