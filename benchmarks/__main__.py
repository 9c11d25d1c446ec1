"""All measurements, one after another."""

from . import encode, memory, retune

for title, part in (("Whole encodes", encode), ("Retuning in the browser", retune), ("Memory", memory)):
    print(f"\n## {title}\n", flush=True)
    part.main()
