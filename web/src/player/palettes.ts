// The palettes that a GIF holds, read from its own bytes.

/**
 * As CSS colours: one for all pictures, or, where any has a table of its own, one a picture (GIF89a, 17 to 23). The
 * entries end where the transparent index stands, or where a table is filled up with black: ours go from dark to light.
 */
export function palettesOf(bytes: Uint8Array): string[][] {
  const flags = bytes[10] ?? 0;
  const shared = flags & 0x80 ? table(bytes, 13, flags) : [];
  const each: string[][] = [];
  let own = false;
  let clear = Infinity;
  let clearest = Infinity;
  let at = 13 + 3 * shared.length;
  const skipBlocks = () => {
    while (at < bytes.length && bytes[at] !== 0) at += 1 + (bytes[at] ?? 0);
    at += 1;
  };
  while (at < bytes.length) {
    const kind = bytes[at];
    if (kind === 0x21) {
      if (bytes[at + 1] === 0xf9) clear = (bytes[at + 3] ?? 0) & 1 ? (bytes[at + 6] ?? 0) : Infinity;
      at += 2;
      skipBlocks();
    } else if (kind === 0x2c) {
      const packed = bytes[at + 9] ?? 0;
      const colours = packed & 0x80 ? table(bytes, at + 10, packed) : shared;
      own ||= colours !== shared;
      if (colours === shared) clearest = Math.min(clearest, clear);
      each.push(entries(colours, clear));
      at += 11 + (colours === shared ? 0 : 3 * colours.length);
      skipBlocks();
    } else break;
  }
  return own ? each : [entries(shared, clearest)];
}

function entries(colours: readonly string[], clear: number): string[] {
  const held = colours.slice(0, clear);
  while (held.length > 1 && held.at(-1) === "rgb(0 0 0)") held.pop();
  return held;
}

function table(bytes: Uint8Array, at: number, flags: number): string[] {
  return Array.from({ length: 2 << (flags & 7) }, (_, index) => {
    const [red, green, blue] = bytes.subarray(at + 3 * index, at + 3 * index + 3);
    return `rgb(${red ?? 0} ${green ?? 0} ${blue ?? 0})`;
  });
}
