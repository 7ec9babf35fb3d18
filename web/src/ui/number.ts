const MINUS = "\u2212";

/** A value as the panel writes it: sign where the scale has two sides, real minus, decimals. */
export function written(value: number, decimals: number, signed: boolean): string {
  const text = Math.abs(value).toFixed(decimals);
  const zero = Number(text) === 0;
  return `${zero ? "" : value < 0 ? MINUS : signed ? "+" : ""}${text}`;
}

/** What a person typed -> number, or null. Takes comma and real minus. */
export function readNumber(text: string): number | null {
  const plain = text
    .trim()
    .replace(",", ".")
    .replace(/[\u2212\u2013]/, "-")
    .replace(/[^\d.+-].*$/, "");
  const value = Number(plain);
  return plain === "" || Number.isNaN(value) ? null : value;
}

export const clamp = (value: number, low: number, high: number): number => Math.min(Math.max(value, low), high);

export function roundTo(value: number, step: number): number {
  const places = Math.max(0, Math.ceil(-Math.log10(step)) + 1);
  return Number((Math.round(value / step) * step).toFixed(places));
}

export function exposureTime(seconds: number): string {
  if (!seconds) return "";
  return seconds < 0.4 ? `1/${Math.round(1 / seconds)}` : `${Number(seconds.toFixed(1))} s`;
}

export function bytes(n: number): string {
  return n >= 1e9 ? `${(n / 1e9).toFixed(1)} GB` : n >= 1e6 ? `${(n / 1e6).toFixed(1)} MB` : `${Math.ceil(n / 1e3)} kB`;
}

/** A sentence in which no number is parted from its unit at the end of a line. */
export const unparted = (sentence: string): string =>
  sentence.replace(/(\d) (%|px|EV|s|MB|GB|K)(?![\w])/g, "$1\u00a0$2");
