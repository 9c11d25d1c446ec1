// Pictures for canvases, fetched once and decoded before they are drawn.

const MOST_KEPT = 200;

const kept = new Map<string, HTMLImageElement>();
const decoded = new Set<string>();

/** A picture, or a sheet of them, if it is there; otherwise it is fetched and `ready` called once it is. */
export function fetched(url: string, ready: () => void): HTMLImageElement | undefined {
  let image = kept.get(url);
  if (!image) {
    image = new Image();
    image.src = url;
    kept.set(url, image);
    // Decoded before it is drawn: drawing one that is not would hold the screen up.
    image
      .decode()
      .then(() => decoded.add(url))
      .catch(() => undefined)
      .finally(ready);
    const oldest = kept.keys().next();
    if (kept.size > MOST_KEPT && !oldest.done) {
      kept.delete(oldest.value);
      decoded.delete(oldest.value);
    }
  }
  return decoded.has(url) ? image : undefined;
}
