"""GIF89a: coding, writing, reading, each in its own module.

Source throughout: "Graphics Interchange Format, Version 89a" (CompuServe, 1990); sections are named where used.
"""
