"""The picture half of the work: what part of frames is seen, how large, how bright, over what, and steady."""

import cv2

# What OpenCV computes with several threads can depend on how many there are; frames go side by side anyway.
cv2.setNumThreads(1)
