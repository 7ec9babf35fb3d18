/**
 * How large pictures may be while a hand moves, so that they come steadily on this machine. It tries sizes: a smaller one while
 * pictures come too late, unless that does not make them come sooner (then the time is the browser's own), a larger one while there
 * is room. Sizes go in steps, so that what is kept for one of them is met again.
 */
export const SHARES: readonly number[] = [1, 0.8, 0.64, 0.5, 0.4, 1 / 3, 0.25];
/** On large windows drawing costs more than rendering unless pixels are drawn as they are, each as a square of several. */
export const WHOLE_SHARES: readonly number[] = [1, 1 / 2, 1 / 3, 1 / 4, 1 / 5, 1 / 6];
const SMOOTHED_BELOW = 3e6;

/** Whether a picture that is drawn larger than it is gets smoothed: not where that alone would take a drag's time. */
export const smooths = (drawn: { width: number; height: number }): boolean =>
  drawn.width * drawn.height < SMOOTHED_BELOW;

/** What a picture may take from asking to having it: at least twenty a second, with room for drawing them. */
const GOAL_MS = 42;
const LATE = 1.1;
const ROOM = 0.6;
/** A smaller size has to come in this share of the time to be worth its softness. */
const WORTH = 0.88;
/** Pictures of a size before it is judged, and after which what is known of another size is too old. */
const JUDGED_AFTER = 3;
const KNOWN_FOR = 80;
/** Where a first drag begins: about as many pixels as a usual machine renders in time. */
const FIRST_PIXELS = 0.9e6;

/** About 470 x 315: what is smaller shows too little to judge by. */
const LEAST_PIXELS = 0.15e6;

interface Known {
  ms: number;
  count: number;
  at: number;
}

export class Pace {
  private known = new Map<number, Known>();
  private share = 0;
  private pixels = 0;
  private count = 0;
  /** Pictures since the size was changed. */
  private since = 0;

  constructor(private readonly goal_ms = GOAL_MS) {}

  /** A picture at a share has come. */
  took(share: number, ms: number): void {
    this.count += 1;
    if (share === this.share) this.since += 1;
    const before = this.known.get(share);
    const fresh = !before || this.count - before.at > KNOWN_FOR;
    // pauses happen, and the first picture of a size makes plates anew: they count, but not fully
    const next = fresh ? ms : before.ms + 0.35 * (Math.min(ms, 2 * before.ms) - before.ms);
    this.known.set(share, { ms: next, count: fresh ? 1 : before.count + 1, at: this.count });
  }

  private of(share: number | undefined): number | undefined {
    const found = share === undefined ? undefined : this.known.get(share);
    return found && this.count - found.at <= KNOWN_FOR ? found.ms : undefined;
  }

  /** The share of each side at which a picture of so many pixels comes in time. */
  shareFor(pixels: number): number {
    const all = pixels < SMOOTHED_BELOW ? SHARES : WHOLE_SHARES;
    const shares = all.filter((s) => s === 1 || pixels * s * s >= LEAST_PIXELS);
    if (Math.abs(pixels / this.pixels - 1) > 0.2 || !shares.includes(this.share)) {
      this.pixels = pixels;
      this.known.clear();
      const fits = Math.sqrt(FIRST_PIXELS / Math.max(pixels, 1));
      this.change(shares.find((s) => s <= fits) ?? (shares.at(-1) as number));
    }
    const i = shares.indexOf(this.share);
    const now = this.of(this.share);
    if (now === undefined || this.since < JUDGED_AFTER) return this.share;
    const larger = this.of(shares[i - 1]);
    if (now > LATE * this.goal_ms && i < shares.length - 1) {
      const next = shares[Math.min(now > 2 * this.goal_ms ? i + 2 : i + 1, shares.length - 1)] as number;
      const there = this.of(next);
      if (there === undefined || there < WORTH * now) {
        this.change(next);
        return this.share;
      }
    }
    // there is room, or what was left for the sake of time without gaining any is taken again
    const room = now < ROOM * this.goal_ms && (larger === undefined || larger < this.goal_ms);
    if (i > 0 && (room || (larger !== undefined && now > WORTH * larger))) this.change(shares[i - 1] as number);
    return this.share;
  }

  private change(share: number): void {
    this.share = share;
    this.since = 0;
  }
}
