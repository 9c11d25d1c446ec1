"""What a live show needs to know of frames: whether a transition hides the cut, and what an overlay takes."""
