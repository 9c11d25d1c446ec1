// Pictures to play: decoded from an output's own bytes in the browser, or fetched from the service.

import { playedFrameUrl, type ResultInfo } from "../api/client";

const MOST_BYTES = 400 * 1024 * 1024;
const LONGEST_WAIT = 20_000;

export interface FrameSource {
  readonly count: number;
  readonly width: number;
  readonly height: number;
  /** How the pictures are decoded, for the curious and for tests. */
  readonly decoder: "browser" | "service" | "source";
  /** The picture if it is there already; otherwise it is asked for. */
  peek(index: number): ImageBitmap | undefined;
  get(index: number): Promise<ImageBitmap>;
  close(): void;
}

/** Keeps decoded pictures up to a budget, those used last. */
abstract class Cached implements FrameSource {
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

  private keep(index: number, picture: ImageBitmap): void {
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
    readonly count: number,
    readonly width: number,
    readonly height: number,
  ) {
    super();
  }
  protected make(index: number): Promise<ImageBitmap> {
    // One at a time and in order: a decoder asked for frames at random starts over from the first.
    const next = this.tail.then(async () => {
      const { image } = await this.images.decode({ frameIndex: index });
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

/** A result's pictures, all of them decoded in the background from the first on. */
export async function openResult(bytes: ArrayBuffer, result: ResultInfo): Promise<FrameSource> {
  let source: FrameSource;
  const shape = result.info;
  if ("ImageDecoder" in window) {
    const images = new ImageDecoder({ data: bytes.slice(0), type: "image/gif", preferAnimation: true });
    await within(Promise.all([images.completed, images.tracks.ready]));
    source = new Decoded(
      images,
      images.tracks.selectedTrack?.frameCount ?? shape.count,
      shape.width,
      shape.height,
    );
  } else {
    source = new Fetched("service", shape.count, shape.width, shape.height, (index) =>
      playedFrameUrl(result, index),
    );
  }
  await within(source.get(0));
  return source;
}

/** Source frames framed as the output is, in played order. */
export function openSource(urls: readonly string[], shape: { width: number; height: number }): FrameSource {
  return new Fetched("source", urls.length, shape.width, shape.height, (index) => urls[index] ?? "");
}

/** The palette a GIF holds, as CSS colours, read from its own bytes (GIF89a, sections 18 and 19). */
export function paletteOf(bytes: ArrayBuffer): string[] {
  const view = new Uint8Array(bytes);
  const flags = view[10] ?? 0;
  if (!(flags & 0x80)) return [];
  const colours: string[] = [];
  for (let i = 0; i < 2 << (flags & 7); i += 1) {
    const at = 13 + i * 3;
    colours.push(`rgb(${view[at] ?? 0} ${view[at + 1] ?? 0} ${view[at + 2] ?? 0})`);
  }
  return colours;
}
