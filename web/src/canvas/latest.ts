/**
 * Sends the newest request only: one runs at a time, the next one waits, older waiting ones are dropped.
 * Answers come in order, so what is shown never goes back.
 */
export class Latest<Request, Answer> {
  private waiting: Request | null = null;
  private running: AbortController | null = null;

  constructor(
    private readonly send: (request: Request, signal: AbortSignal) => Promise<Answer>,
    private readonly show: (answer: Answer, request: Request) => void,
    private readonly fail: (error: unknown, request: Request) => void,
  ) {}

  /** Asks for something newer than everything before. */
  ask(request: Request): void {
    if (this.running) {
      this.waiting = request;
      return;
    }
    void this.run(request);
  }

  /** Forgets what waits and what runs: nothing of it is shown. */
  stop(): void {
    this.waiting = null;
    this.running?.abort();
    this.running = null;
  }

  get busy(): boolean {
    return this.running !== null;
  }

  private async run(request: Request): Promise<void> {
    const control = new AbortController();
    this.running = control;
    try {
      const answer = await this.send(request, control.signal);
      if (!control.signal.aborted) this.show(answer, request);
    } catch (error) {
      if (!control.signal.aborted) this.fail(error, request);
    }
    if (this.running !== control) return;
    this.running = null;
    const next = this.waiting;
    this.waiting = null;
    if (next) void this.run(next);
  }
}
