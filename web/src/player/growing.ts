// The frames of a GIF while it is coded, as the service hands them on.

import { Cached } from "./frames";

/** Milliseconds between two times that whoever watches is told. */
const PAUSE = 100;

/** The steps that are coded so far, decoded from the very bytes that they take. */
export class Growing extends Cached {
  readonly decoder = "browser";
  width = 0;
  height = 0;
  /** What they take so far. */
  bytes = 0;
  private readonly at: number[] = [];
  private readonly call = new AbortController();
  private images: ImageDecoder | null = null;

  constructor(readonly job: number) {
    super();
  }

  get count(): number {
    return this.at.length;
  }

  /** Follow the job until it ends, or this is closed; `tell` when there is more. */
  async follow(tell: () => void): Promise<void> {
    const answer = await fetch(`/api/jobs/${this.job}/coded`, { signal: this.call.signal });
    if (answer.status !== 200 || !answer.body || !("ImageDecoder" in window)) return;
    const counted = answer.body.pipeThrough(
      new TransformStream<Uint8Array, Uint8Array>({
        transform: (chunk, on) => {
          this.bytes += chunk.byteLength;
          on.enqueue(chunk);
        },
      }),
    );
    const images = new ImageDecoder({ data: counted, type: "image/gif", preferAnimation: true });
    if (this.closed) {
      images.close();
      return;
    }
    this.images = images;
    await images.tracks.ready;
    let told = 0;
    for (let picture = 0; ; picture += 1) {
      // After the last one that came this is refused: the job has ended.
      const { image } = await images.decode({ frameIndex: picture });
      const steps = Math.max(1, Math.round((image.duration ?? 0) / 10_000) - 1);
      [this.width, this.height] = [image.displayWidth, image.displayHeight];
      const bitmap = await createImageBitmap(image);
      image.close();
      this.keep(this.at.length, bitmap);
      for (let step = 0; step < steps; step += 1) this.at.push(picture);
      const now = performance.now();
      if (now - told < PAUSE) continue;
      told = now;
      tell();
    }
  }

  protected async make(index: number): Promise<ImageBitmap> {
    if (!this.images) throw new DOMException("closed", "AbortError");
    const { image } = await this.images.decode({ frameIndex: this.at[index] ?? 0 });
    try {
      return await createImageBitmap(image);
    } finally {
      image.close();
    }
  }

  override close(): void {
    super.close();
    this.call.abort();
    this.images?.close();
    this.images = null;
  }
}
