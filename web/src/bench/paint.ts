// How the stage draws pictures: alone, against one another, over colours.

/** The loop's last frame in the left half, its first in the right. */
export function paintEnds(context: CanvasRenderingContext2D, last: ImageBitmap, first: ImageBitmap): void {
  const { width, height } = context.canvas;
  context.clearRect(0, 0, width, height);
  [last, first].forEach((picture, side) =>
    context.drawImage(picture, (side * width) / 2, height / 4, width / 2 - 1, height / 2),
  );
}

/** Alpha alone: white is opaque, black is clear. */
export function paintAlpha(context: CanvasRenderingContext2D, picture: ImageBitmap): void {
  const { width, height } = context.canvas;
  context.clearRect(0, 0, width, height);
  context.drawImage(picture, 0, 0, width, height);
  context.globalCompositeOperation = "source-in";
  context.fillStyle = "#fff";
  context.fillRect(0, 0, width, height);
  context.globalCompositeOperation = "destination-over";
  context.fillStyle = "#000";
  context.fillRect(0, 0, width, height);
  context.globalCompositeOperation = "source-over";
}

/** The same picture beside itself over several colours. */
export function paintBackdrops(
  context: CanvasRenderingContext2D,
  picture: ImageBitmap,
  colours: readonly string[],
): void {
  const width = context.canvas.width / colours.length;
  colours.forEach((colour, at) => {
    context.fillStyle = colour;
    context.fillRect(at * width, 0, width, context.canvas.height);
    context.drawImage(picture, at * width, 0, width, context.canvas.height);
  });
}

/** A neighbour laid over the picture, the more faintly the farther off it is. */
export function shineThrough(context: CanvasRenderingContext2D, picture: ImageBitmap, far: number): void {
  context.globalAlpha = 0.3 / far;
  context.drawImage(picture, 0, 0, context.canvas.width, context.canvas.height);
  context.globalAlpha = 1;
}

/** The result, the source, a wipe between both, or their difference. */
export function paint(
  context: CanvasRenderingContext2D,
  view: string,
  wipe: number,
  result: ImageBitmap | undefined,
  source: ImageBitmap | undefined,
): void {
  const { width, height } = context.canvas;
  context.clearRect(0, 0, width, height);
  if (view === "difference") {
    if (!result || !source) return;
    context.fillStyle = "#000";
    context.fillRect(0, 0, width, height);
    context.drawImage(result, 0, 0, width, height);
    context.globalCompositeOperation = "difference";
    context.drawImage(source, 0, 0, width, height);
    context.globalCompositeOperation = "lighter";
    for (let doubling = 0; doubling < 3; doubling += 1) context.drawImage(context.canvas, 0, 0);
    context.globalCompositeOperation = "source-over";
    return;
  }
  const edge = view === "wipe" ? Math.round(width * wipe) : view === "source" ? width : 0;
  if (source && edge > 0) clipped(context, source, 0, edge);
  if (result && edge < width) clipped(context, result, edge, width);
}

function clipped(context: CanvasRenderingContext2D, picture: ImageBitmap, from: number, to: number): void {
  context.save();
  context.beginPath();
  context.rect(from, 0, to - from, context.canvas.height);
  context.clip();
  context.drawImage(picture, 0, 0, context.canvas.width, context.canvas.height);
  context.restore();
}

/** From how many levels on an error is as bright as it gets. */
export const MOST_ERROR = 32;
/** Black, violet, red, orange, white: light grows evenly with the error. */
const HEAT = [
  [0, 0, 0],
  [70, 20, 120],
  [190, 40, 90],
  [250, 150, 40],
  [255, 255, 255],
] as const;

let heat: Uint32Array | undefined;

/** The colour of an error of so many levels, as an RGBA word in the order of this machine's bytes. */
function heats(): Uint32Array {
  heat ??= Uint32Array.from({ length: MOST_ERROR + 1 }, (_, level) => {
    const at = (level / MOST_ERROR) * (HEAT.length - 1);
    const [low, high] = [HEAT[Math.floor(at)] ?? HEAT[0], HEAT[Math.ceil(at)] ?? HEAT[0]];
    const mixed = low.map((one, channel) => Math.round(one + ((high[channel] ?? one) - one) * (at % 1)));
    const bytes = Uint8ClampedArray.from([...mixed, 255]);
    return new Uint32Array(bytes.buffer)[0] ?? 0;
  });
  return heat;
}

const scratch = new Map<string, CanvasRenderingContext2D>();

/** The pixels of a picture over black. */
function pixelsOf(picture: ImageBitmap, name: string): Uint8ClampedArray {
  const { width, height } = picture;
  let context = scratch.get(name);
  if (!context) {
    const made = document.createElement("canvas").getContext("2d", { willReadFrequently: true });
    if (!made) return new Uint8ClampedArray(4 * width * height);
    scratch.set(name, (context = made));
  }
  if (context.canvas.width !== width || context.canvas.height !== height) {
    context.canvas.width = width;
    context.canvas.height = height;
  }
  context.fillStyle = "#000";
  context.fillRect(0, 0, width, height);
  context.drawImage(picture, 0, 0);
  return context.getImageData(0, 0, width, height).data;
}

/** How far a pixel is from another, in levels, as light is weighed (ITU-R BT.601). */
export const offBy = (red: number, green: number, blue: number) =>
  Math.sqrt(0.299 * red * red + 0.587 * green * green + 0.114 * blue * blue);

/** Where a result is off, the farther the brighter. */
export function paintError(context: CanvasRenderingContext2D, result: ImageBitmap, source: ImageBitmap): void {
  const [width, height] = [Math.min(result.width, source.width), Math.min(result.height, source.height)];
  const [ours, theirs] = [pixelsOf(result, "one"), pixelsOf(source, "two")];
  const colours = heats();
  const image = new ImageData(width, height);
  const words = new Uint32Array(image.data.buffer);
  for (let y = 0; y < height; y += 1)
    for (let x = 0; x < width; x += 1) {
      const [at, to] = [4 * (y * result.width + x), 4 * (y * source.width + x)];
      const off = offBy(
        (ours[at] ?? 0) - (theirs[to] ?? 0),
        (ours[at + 1] ?? 0) - (theirs[to + 1] ?? 0),
        (ours[at + 2] ?? 0) - (theirs[to + 2] ?? 0),
      );
      words[y * width + x] = colours[Math.min(MOST_ERROR, Math.round(off))] ?? 0;
    }
  context.clearRect(0, 0, context.canvas.width, context.canvas.height);
  context.putImageData(image, 0, 0);
}

/** What of a picture is not as it was in the one before; the rest is dark. */
export function paintChanges(
  context: CanvasRenderingContext2D,
  now: ImageBitmap,
  before: ImageBitmap | undefined,
): void {
  const { width, height } = now;
  const [ours, theirs] = [pixelsOf(now, "one"), before && pixelsOf(before, "two")];
  const image = new ImageData(width, height);
  const to = image.data;
  for (let at = 0; at < ours.length; at += 4) {
    const same =
      theirs && ours[at] === theirs[at] && ours[at + 1] === theirs[at + 1] && ours[at + 2] === theirs[at + 2];
    for (let channel = 0; channel < 3; channel += 1)
      to[at + channel] = (ours[at + channel] ?? 0) * (same ? 0.22 : 1);
    to[at + 3] = 255;
  }
  context.clearRect(0, 0, context.canvas.width, context.canvas.height);
  context.putImageData(image, 0, 0);
}

/** Leave the pixels of one colour as they are, on a grey from which they stand out. */
export function light(context: CanvasRenderingContext2D, colour: string): void {
  const { width, height } = context.canvas;
  const image = context.getImageData(0, 0, width, height);
  const wanted = Number.parseInt(colour.slice(1), 16);
  const ground = offBy(wanted >> 16, (wanted >> 8) & 255, wanted & 255) < 110 ? 190 : 24;
  const { data } = image;
  for (let at = 0; at < data.length; at += 4) {
    const [red, green, blue] = [data[at] ?? 0, data[at + 1] ?? 0, data[at + 2] ?? 0];
    if (((red << 16) | (green << 8) | blue) === wanted && data[at + 3] === 255) continue;
    data[at] = data[at + 1] = data[at + 2] = ground + ((red + 2 * green + blue) >> 4);
  }
  context.putImageData(image, 0, 0);
}
