/**
 * Work that waits, so that nobody who asks much keeps others waiting: each lane (a relay, a client) has its turn, has so
 * many pieces under way at a time, and so many waiting. Of what one client has waiting the newest counts: it asks again
 * because it got no answer, and an answer to the older would come too late. No I/O, no clock.
 */
export interface FairBounds {
  /** Pieces of work under way, of all lanes and of one. */
  running: number;
  runningPerLane: number;
  /** Pieces that wait, of all lanes and of one. */
  waiting: number;
  waitingPerLane: number;
}

export interface Taken<T> {
  lane: string;
  work: T;
}

interface Lane<T> {
  running: number;
  /** By client, the oldest first. */
  waiting: Map<string, T>;
}

export class FairQueue<T> {
  /** What was put aside: more came than there is room for, or something newer of the same client. */
  dropped = 0;
  replaced = 0;
  private readonly bounds: FairBounds;
  private readonly lanes = new Map<string, Lane<T>>();
  /** Lanes with something waiting, in the order of their turns. */
  private readonly turns = new Set<string>();
  private running = 0;
  private waiting = 0;

  constructor(bounds: FairBounds) {
    this.bounds = bounds;
  }

  get idle(): boolean {
    return this.running === 0 && this.waiting === 0;
  }

  /** False when it was put aside at once. */
  offer(lane: string, client: string, work: T): boolean {
    const held = this.laneOf(lane);
    if (held.waiting.has(client)) {
      this.replaced += 1;
      held.waiting.set(client, work);
      return true;
    }
    if (held.waiting.size >= this.bounds.waitingPerLane) this.putAside(lane, held);
    else if (this.waiting >= this.bounds.waiting) {
      // Room is made by whoever has the most waiting; that may be this lane itself.
      const [longest, most] = this.longest();
      if (most.waiting.size <= held.waiting.size) {
        this.dropped += 1;
        this.forget(lane, held);
        return false;
      }
      this.putAside(longest, most);
    }
    held.waiting.set(client, work);
    this.waiting += 1;
    this.turns.add(lane);
    return true;
  }

  /** The next piece of work, of the lane whose turn it is; `done` is called when it has ended. */
  take(): Taken<T> | undefined {
    if (this.running >= this.bounds.running) return undefined;
    for (const lane of this.turns) {
      const held = this.laneOf(lane);
      if (held.running >= this.bounds.runningPerLane) continue;
      const [client, work] = held.waiting.entries().next().value as [string, T];
      held.waiting.delete(client);
      held.running += 1;
      this.running += 1;
      this.waiting -= 1;
      // Behind all others, where it has more.
      this.turns.delete(lane);
      if (held.waiting.size > 0) this.turns.add(lane);
      return { lane, work };
    }
    return undefined;
  }

  done(lane: string): void {
    const held = this.laneOf(lane);
    held.running -= 1;
    this.running -= 1;
    this.forget(lane, held);
  }

  private laneOf(name: string): Lane<T> {
    let lane = this.lanes.get(name);
    if (!lane) this.lanes.set(name, (lane = { running: 0, waiting: new Map() }));
    return lane;
  }

  /** The oldest of a lane makes room: whoever sent it has given up by now, or asks again. */
  private putAside(name: string, lane: Lane<T>): void {
    const [oldest] = lane.waiting.keys();
    if (oldest === undefined) return;
    lane.waiting.delete(oldest);
    this.waiting -= 1;
    this.dropped += 1;
    if (lane.waiting.size === 0) this.turns.delete(name);
    this.forget(name, lane);
  }

  private longest(): [string, Lane<T>] {
    let found: [string, Lane<T>] | undefined;
    for (const entry of this.lanes) if (!found || entry[1].waiting.size > found[1].waiting.size) found = entry;
    if (!found) throw new Error('no lane waits');
    return found;
  }

  private forget(name: string, lane: Lane<T>): void {
    if (lane.running === 0 && lane.waiting.size === 0) this.lanes.delete(name);
  }
}
