"""The rules of the job and its computation; knows nothing of web, database or interface."""
