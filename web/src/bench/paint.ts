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
