"""Open formats in and out: folder trees, archives, picture files, ONNX, safetensors."""
