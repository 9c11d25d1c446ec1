"""The web service: projects, frames, revisions, jobs and results over the core."""
