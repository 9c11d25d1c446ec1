// Pictures to play: decoded from an output's own bytes in the browser, or fetched from the service.

import { fileUrl, oneFileUrl, playedFrameUrl, type Made } from "../api/client";
import { closeSheet, cutOut, loadSheet, type LoadedSheet } from "./sheet";
import { palettesOf } from "./palettes";

const MOST_BYTES = 400 * 1024 * 1024;
const LONGEST_WAIT = 20_000;

export interface FrameSource {
  readonly count: number;
  readonly width: number;
  readonly height: number;
  /** How the pictures are decoded, for the curious and for tests. */
  readonly decoder: "browser" | "service" | "source";
  /** What they are cut out of, where they lie on one picture. */
  readonly sheet?: LoadedSheet;
  /** The picture if it is there already; otherwise it is asked for. */
  peek(index: number): ImageBitmap | undefined;
  get(index: number): Promise<ImageBitmap>;
  close(): void;
}

/** Keeps decoded pictures up to a budget, those used last. */
export abstract class Cached implements FrameSource {
  abstract readonly count: number;
  abstract readonly width: number;
  abstract readonly height: number;
  abstract readonly decoder: FrameSource["decoder"];
  private kept = new Map<number, ImageBitmap>();
  private asked = new Map<number, Promise<ImageBitmap>>();
  protected closed = false;

  protected abstract make(index: number): Promise<ImageBitmap>;

  peek(index: number): ImageBitmap | undefined {
    const picture = this.kept.get(index);
    if (!picture && !this.closed) this.get(index).catch(() => undefined);
    return picture;
  }

  get(index: number): Promise<ImageBitmap> {
    const kept = this.kept.get(index);
    if (kept) {
      this.kept.delete(index);
      this.kept.set(index, kept);
      return Promise.resolve(kept);
    }
    let asked = this.asked.get(index);
    if (!asked) {
      asked = this.make(index)
        .then((picture) => {
          if (this.closed) {
            picture.close();
            throw new DOMException("closed", "AbortError");
          }
          this.keep(index, picture);
          return picture;
        })
        .finally(() => this.asked.delete(index));
      this.asked.set(index, asked);
    }
    return asked;
  }

  protected keep(index: number, picture: ImageBitmap): void {
    this.kept.set(index, picture);
    const room = Math.max(8, Math.floor(MOST_BYTES / (this.width * this.height * 4)));
    for (const [oldest, old] of this.kept) {
      if (this.kept.size <= room) break;
      this.kept.delete(oldest);
      old.close();
    }
  }

  close(): void {
    this.closed = true;
    for (const picture of this.kept.values()) picture.close();
    this.kept.clear();
  }
}

/** An output decoded by the browser's own decoder from the output's own bytes. */
class Decoded extends Cached {
  readonly decoder = "browser";
  private tail: Promise<unknown> = Promise.resolve();
  constructor(
    private readonly images: ImageDecoder,
    /** Which of its pictures each step shows. */
    private readonly at: readonly number[],
    readonly width: number,
    readonly height: number,
  ) {
    super();
  }
  get count(): number {
    return this.at.length;
  }
  protected make(index: number): Promise<ImageBitmap> {
    // One at a time and in order: a decoder asked for frames at random starts over from the first.
    const next = this.tail.then(async () => {
      const { image } = await this.images.decode({ frameIndex: this.at[index] ?? 0 });
      try {
        return await createImageBitmap(image);
      } finally {
        image.close();
      }
    });
    this.tail = next.catch(() => undefined);
    return next;
  }
  override close(): void {
    super.close();
    this.images.close();
  }
}

class Fetched extends Cached {
  constructor(
    readonly decoder: "service" | "source",
    readonly count: number,
    readonly width: number,
    readonly height: number,
    private readonly url: (index: number) => string,
  ) {
    super();
  }
  protected async make(index: number): Promise<ImageBitmap> {
    const answer = await fetch(this.url(index));
    if (!answer.ok) throw new Error(`frame ${index + 1} could not be fetched`);
    return createImageBitmap(await answer.blob());
  }
}

function within<T>(promise: Promise<T>): Promise<T> {
  return Promise.race([
    promise,
    new Promise<never>((_, reject) =>
      setTimeout(() => reject(new Error("the decoder does not answer")), LONGEST_WAIT),
    ),
  ]);
}

/** A clip played by the browser itself: sought to the middle of a frame, which it then shows. */
class Clip extends Cached {
  readonly decoder = "browser";
  private tail: Promise<unknown> = Promise.resolve();
  constructor(
    private readonly video: HTMLVideoElement,
    private readonly address: string,
    private readonly at: readonly number[],
    /** Seconds that each frame of the clip lasts. */
    private readonly each: number,
  ) {
    super();
  }
  get count(): number {
    return this.at.length;
  }
  get width(): number {
    return this.video.videoWidth;
  }
  get height(): number {
    return this.video.videoHeight;
  }
  protected make(index: number): Promise<ImageBitmap> {
    const next = this.tail.then(async () => {
      const moment = ((this.at[index] ?? 0) + 0.5) * this.each;
      const sought = new Promise((resolve) => this.video.addEventListener("seeked", resolve, { once: true }));
      this.video.currentTime = moment;
      await within(sought);
      return createImageBitmap(this.video);
    });
    this.tail = next.catch(() => undefined);
    return next;
  }
  override close(): void {
    super.close();
    URL.revokeObjectURL(this.address);
  }
}

/** Frames cut out of the pictures of a sheet, as its description says. */
class OnSheet extends Cached {
  readonly decoder = "browser";
  constructor(
    readonly sheet: LoadedSheet,
    readonly width: number,
    readonly height: number,
  ) {
    super();
  }
  get count(): number {
    return this.sheet.document.frames.length;
  }
  protected make(index: number): Promise<ImageBitmap> {
    return createImageBitmap(cutOut(this.sheet, index));
  }
  override close(): void {
    super.close();
    closeSheet(this.sheet);
  }
}

/** How a result's file is decoded. */
export type Player = "animation" | "still" | "clip" | "sheet" | "service";

export interface Opened {
  frames: FrameSource;
  /** The palettes of a GIF: one, or one a picture. */
  palettes: string[][];
}

/** What was made, as its file really holds it: decoded in the browser where it has a decoder. */
export async function openMade(made: Made, player: Player): Promise<Opened> {
  const { info, at } = made;
  const served = () =>
    new Fetched("service", at.length, info.width, info.height, (index) => playedFrameUrl(made, at[index] ?? 0));
  let opened: Opened;
  if (player === "animation" && "ImageDecoder" in window) {
    const { bytes, type } = await fetched(made);
    const images = new ImageDecoder({ data: bytes.slice(0), type, preferAnimation: at.length > 1 });
    await within(Promise.all([images.completed, images.tracks.ready]));
    const palettes = info.format === "gif" ? palettesOf(new Uint8Array(bytes)) : [];
    opened = { frames: new Decoded(images, at, info.width, info.height), palettes };
  } else if (player === "clip") {
    const { bytes, type } = await fetched(made);
    const video = document.createElement("video");
    video.muted = true;
    video.preload = "auto";
    const address = URL.createObjectURL(new Blob([bytes], { type }));
    const ready = new Promise((resolve, reject) => {
      video.addEventListener("loadeddata", resolve, { once: true });
      video.addEventListener("error", () => reject(new Error("the browser cannot play this clip")), {
        once: true,
      });
    });
    video.src = address;
    await within(ready);
    const each = info.duration_ms / 1000 / info.count;
    opened = { frames: new Clip(video, address, at, each), palettes: [] };
  } else if (player === "sheet") {
    const sheet = await within(loadSheet((number) => oneFileUrl(made, number), info.sheets?.length ?? 1));
    opened = { frames: new OnSheet(sheet, info.width, info.height), palettes: [] };
  } else {
    opened = { frames: served(), palettes: [] };
  }
  await within(opened.frames.get(0));
  return opened;
}

async function fetched(made: Made): Promise<{ bytes: ArrayBuffer; type: string }> {
  const answer = await fetch(fileUrl(made));
  if (!answer.ok) throw new Error("the output could not be fetched");
  return { bytes: await answer.arrayBuffer(), type: answer.headers.get("content-type") ?? "image/gif" };
}

/** Source frames framed as the output is, in played order. */
export function openSource(urls: readonly string[], shape: { width: number; height: number }): FrameSource {
  return new Fetched("source", urls.length, shape.width, shape.height, (index) => urls[index] ?? "");
}
