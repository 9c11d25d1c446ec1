"""All measurements, one after another."""

from . import (
    apng,
    broadcast,
    budget,
    cluster,
    commands,
    encode,
    formats,
    framing,
    gather,
    in_place,
    many,
    memory,
    retune,
    rhythm,
    sheets,
    smallest,
    start,
    table,
    trials,
)

for title, part in (
    ("Whole encodes", encode),
    ("The fewest bytes at no less likeness", smallest),
    ("Fitting a budget", budget),
    ("Animated PNG", apng),
    ("Other formats", formats),
    ("Gathering", gather),
    ("Opened in place", in_place),
    ("Many sequences", many),
    ("Many sequences on a cluster", cluster),
    ("The table of many", table),
    ("The rhythm strip", rhythm),
    ("Framing", framing),
    ("Sheets", sheets),
    ("Broadcast", broadcast),
    ("Retuning in the browser", retune),
    ("Trials in the browser", trials),
    ("Starting", start),
    ("Commands", commands),
    ("Memory", memory),
):
    print(f"\n## {title}\n", flush=True)
    part.main()
