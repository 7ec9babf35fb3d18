/** Shares of a small picture that are at its ends: any channel full, or all of them empty. */
export interface Ends {
  white: number;
  black: number;
}

const FULL = 253;
const EMPTY = 2;
/** Worth a word from so much of the picture on. */
export const TOLD_SHARE = 0.02;

/** Counts pixels (RGBA bytes) at the ends. */
export function endsOf(pixels: Uint8ClampedArray): Ends {
  let white = 0;
  let black = 0;
  for (let i = 0; i < pixels.length; i += 4) {
    const [r, g, b] = [pixels[i] ?? 0, pixels[i + 1] ?? 0, pixels[i + 2] ?? 0];
    if (Math.max(r, g, b) >= FULL) white += 1;
    if (Math.max(r, g, b) <= EMPTY) black += 1;
  }
  const count = Math.max(pixels.length / 4, 1);
  return { white: white / count, black: black / count };
}

/** The ends of a picture that has been loaded. */
export function endsOfImage(image: HTMLImageElement): Ends | null {
  const canvas = document.createElement("canvas");
  canvas.width = Math.max(Math.min(image.naturalWidth, 160), 1);
  canvas.height = Math.max(Math.round((canvas.width * image.naturalHeight) / Math.max(image.naturalWidth, 1)), 1);
  const context = canvas.getContext("2d", { willReadFrequently: true });
  if (!context) return null;
  context.imageSmoothingEnabled = false;
  context.drawImage(image, 0, 0, canvas.width, canvas.height);
  return endsOf(context.getImageData(0, 0, canvas.width, canvas.height).data);
}

/** What has come to an end that was not before: "7 % blown". */
export function endWords(before: Ends | undefined, after: Ends | undefined): string {
  if (!before || !after) return "";
  const more = (of: keyof Ends) => after[of] - before[of] > TOLD_SHARE && after[of] > TOLD_SHARE;
  const percent = (share: number) => `${Math.round(share * 100)} %`;
  return [
    more("white") ? `${percent(after.white)} blown now` : "",
    more("black") ? `${percent(after.black)} black now` : "",
  ]
    .filter(Boolean)
    .join(", ");
}
