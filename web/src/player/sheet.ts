// A sheet as it was exported: its pictures, and the description that says where each frame lies.

export interface SheetFrame {
  index: number;
  name: string;
  span: string | null;
  sheet: number;
  x: number;
  y: number;
  width: number;
  height: number;
  offset_x: number;
  offset_y: number;
  canvas_width: number;
  canvas_height: number;
  duration_ms: number;
  turned: boolean;
  anchor_x: number;
  anchor_y: number;
}

export interface SheetSpan {
  name: string;
  first: number;
  last: number;
  direction: string;
  repeat: number;
}

export interface SheetDocument {
  sheets: { file: string; width: number; height: number; pixels: string }[];
  frames: SheetFrame[];
  spans: SheetSpan[];
}

export interface LoadedSheet {
  document: SheetDocument;
  images: ImageBitmap[];
}

/** The pictures are the files 0 to `count` - 1, the description follows them. */
export async function loadSheet(urlOf: (number: number) => string, count: number): Promise<LoadedSheet> {
  const fetched = async (number: number) => {
    const answer = await fetch(urlOf(number));
    if (!answer.ok) throw new Error("the sheet could not be fetched");
    return answer;
  };
  const [document, ...images] = await Promise.all([
    fetched(count).then((answer) => answer.json() as Promise<SheetDocument>),
    ...Array.from({ length: count }, (_, number) =>
      fetched(number)
        .then((answer) => answer.blob())
        .then((blob) => createImageBitmap(blob)),
    ),
  ]);
  return { document, images };
}

export function closeSheet({ images }: LoadedSheet): void {
  for (const image of images) image.close();
}

/** Whether a picture was let go of, as it is once another result is on show. */
export const closed = (image: ImageBitmap) => image.width === 0;

/** Draw a frame with the top left corner of its canvas at the origin. */
export function drawFrame(
  context: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
  { document, images }: LoadedSheet,
  index: number,
): void {
  const frame = document.frames[index];
  const image = frame && images[frame.sheet];
  if (!image || closed(image)) return;
  const { x, y, width, height, offset_x, offset_y } = frame;
  if (!frame.turned) {
    context.drawImage(image, x, y, width, height, offset_x, offset_y, width, height);
    return;
  }
  // It lies there turned clockwise: turned back, its left edge is what was on top.
  context.save();
  context.translate(offset_x, offset_y + height);
  context.rotate(-Math.PI / 2);
  context.drawImage(image, x, y, height, width, 0, 0, height, width);
  context.restore();
}

/** A frame on its own canvas. */
export function cutOut(sheet: LoadedSheet, index: number): OffscreenCanvas {
  const frame = sheet.document.frames[index];
  const canvas = new OffscreenCanvas(frame?.canvas_width ?? 1, frame?.canvas_height ?? 1);
  const context = canvas.getContext("2d");
  if (context) {
    context.imageSmoothingEnabled = false;
    drawFrame(context, sheet, index);
  }
  return canvas;
}
