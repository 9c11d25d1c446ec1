"""More machines, by the workers of a Dask scheduler: files are known by their content, bytes are the same."""
