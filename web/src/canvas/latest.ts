/**
 * Sends the newest request only: one is with the server at a time, the next one waits, older waiting ones are dropped.
 * While an answer that has arrived is still being unpacked the next request goes out already. What is shown never goes back.
 */
export class Latest<Request, Answer> {
  private waiting: Request | null = null;
  private running = new Set<AbortController>();
  /** The one that is with the server. */
  private sent: AbortController | null = null;
  /** What was asked there. */
  private with: Request | null = null;
  private count = 0;
  private newestShown = 0;

  /** `send` may call `received` when its answer is there and only remains to be unpacked. */
  constructor(
    private readonly send: (request: Request, signal: AbortSignal, received: () => void) => Promise<Answer>,
    private readonly show: (answer: Answer, request: Request) => void,
    private readonly fail: (error: unknown, request: Request) => void,
    /** An answer that is not shown, to give its memory back. */
    private readonly drop: (answer: Answer) => void = () => {},
  ) {}

  /** Asks for something newer than everything before. What is with the server is called off first when `stale` says so of it. */
  ask(request: Request, stale: (sent: Request) => boolean = () => false): void {
    if (this.sent && this.with !== null && stale(this.with)) {
      this.sent.abort();
      this.running.delete(this.sent);
      this.sent = null;
      this.waiting = null;
    }
    if (this.sent) {
      this.waiting = request;
      return;
    }
    void this.run(request);
  }

  /** Forgets what waits and what runs: nothing of it is shown. */
  stop(): void {
    this.waiting = null;
    for (const control of this.running) control.abort();
    this.running.clear();
    this.sent = null;
  }

  get busy(): boolean {
    return this.running.size > 0;
  }

  private async run(request: Request): Promise<void> {
    const control = new AbortController();
    const number = ++this.count;
    this.running.add(control);
    this.sent = control;
    this.with = request;
    const received = () => {
      if (this.sent !== control) return;
      this.sent = null;
      const next = this.waiting;
      this.waiting = null;
      if (next) void this.run(next);
    };
    try {
      const answer = await this.send(request, control.signal, received);
      if (!control.signal.aborted && number > this.newestShown) {
        this.newestShown = number;
        this.show(answer, request);
      } else this.drop(answer);
    } catch (error) {
      const calledOff = control.signal.aborted || (error instanceof DOMException && error.name === "AbortError");
      if (!calledOff) this.fail(error, request);
    }
    this.running.delete(control);
    received();
  }
}
