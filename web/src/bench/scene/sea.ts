// What lies under the scene's actor: a sea that scrolls, or a ground on which rims show.

export type Ground = "sea" | "sand" | "night" | "stripes";

const TILE = 256;
const made = new Map<Ground, CanvasImageSource>();

/** Draw the ground as it lies when the actor is at (x, y) in the world. */
export function drawGround(
  context: CanvasRenderingContext2D,
  ground: Ground,
  width: number,
  height: number,
  x: number,
  y: number,
): void {
  const tile = made.get(ground) ?? drawTile(ground);
  made.set(ground, tile);
  const [left, top] = [-(((x % TILE) + TILE) % TILE), -(((y % TILE) + TILE) % TILE)];
  for (let across = left; across < width; across += TILE)
    for (let down = top; down < height; down += TILE)
      context.drawImage(tile, Math.round(across), Math.round(down));
}

const PAINTS: Record<Ground, { base: string; crest: string }> = {
  sea: { base: "#2f6f86", crest: "#7fb0bd" },
  sand: { base: "#efe6d2", crest: "#d8c9a8" },
  night: { base: "#101820", crest: "#223240" },
  stripes: { base: "#101820", crest: "#ff5ac8" },
};

function drawTile(ground: Ground): CanvasImageSource {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = TILE;
  const context = canvas.getContext("2d");
  if (!context) return canvas;
  const { base, crest } = PAINTS[ground];
  context.fillStyle = base;
  context.fillRect(0, 0, TILE, TILE);
  if (ground === "stripes") {
    for (let at = 0; at < TILE; at += 64) {
      context.fillStyle = crest;
      context.fillRect(at, 0, 16, TILE);
      context.fillStyle = "#fffdf9";
      context.fillRect(at + 32, 0, 16, TILE);
    }
    return canvas;
  }
  context.strokeStyle = crest;
  context.lineCap = "round";
  for (let row = 0; row < 8; row += 1)
    for (let at = 0; at < 4; at += 1) {
      // Spread as if by chance, the same each time.
      const seed = Math.sin(row * 12.9898 + at * 78.233) * 43758.5453;
      const chance = seed - Math.floor(seed);
      const [x, y] = [((at + chance) * TILE) / 4, (row + 0.5) * (TILE / 8) + chance * 10 - 5];
      const long = 9 + chance * 16;
      context.lineWidth = 1.4 + chance;
      for (const wrap of [0, -TILE]) {
        context.beginPath();
        context.moveTo(x + wrap, y);
        context.quadraticCurveTo(x + wrap + long / 2, y - 5, x + wrap + long, y);
        context.stroke();
      }
    }
  return canvas;
}
