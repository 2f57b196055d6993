/**
 * One boot of a device towards service, as a state machine: it is told what was seen, and says what follows. It knows
 * no clock: limits come back as the event `limit` when their time has passed.
 */
import type { Diagnosis, DiagnosisCode } from './diagnosis.ts';

export const milestones = [
  'powered',
  'offered',
  'leased',
  'file asked',
  'file complete',
  'image',
  'applied',
  'called home',
  'reached',
  'matches',
  'kept',
  'serving',
] as const;
export type Milestone = (typeof milestones)[number];

/** `expected`: its window is open and nothing was heard. `living`: it has its file; a sign of life is due. */
type Phase = 'expected' | 'booting' | 'fetching' | 'living' | 'proving' | 'serving' | 'closed';

export interface Arrival {
  phase: Phase;
  reached: Milestone[];
  diagnosis: Diagnosis | null;
  /** The transaction (RFC 2131, section 2) by which it last asked for its address. */
  xid?: number;
  /** What it said first of itself, beside its call home. */
  life?: Evidence;
  /** It has its image, and may boot once more without that being another arrival. */
  restarts?: boolean;
  /** How many files of earlier legs it has fetched. */
  legs?: number;
  /** Where it boots, as its relay says. */
  plugged?: string;
  /** Why that is not where the records have it; null once somebody said that it is right so. */
  elsewhere?: string | null;
  confirmed?: Evidence;
  /** The stage that it has again where its proof does not come. */
  was?: 'prepared' | 'unproved';
}

export const expected: Arrival = { phase: 'expected', reached: [], diagnosis: null };

type Evidence = Record<string, string | number | boolean | string[]>;

export type ArrivalEvent =
  | { kind: 'discover' | 'request'; evidence: Evidence; xid?: number }
  | { kind: 'offered' | 'leased' | 'file-asked' | 'file-complete'; evidence: Evidence }
  /** A file beside the first one is there; it counts for nothing while the first has not come. */
  | { kind: 'further-complete'; evidence: Evidence }
  /** The file of an earlier leg is there: it restarts within these seconds, and boots once more. */
  | { kind: 'leg-complete'; leg: number; seconds: number; evidence: Evidence }
  /** It fetches the image that it wants; a large one takes its time. */
  | { kind: 'image-asked'; bytes: number; evidence: Evidence }
  /** It has it: it may restart with it within these seconds, and boot once more. */
  | { kind: 'image-complete'; seconds: number; evidence: Evidence }
  | { kind: 'image-differs'; evidence: Evidence }
  | { kind: 'file-refused' | 'file-broken'; evidence: Evidence }
  | { kind: 'called-home'; rejected: { line: string; why: string }[]; evidence: Evidence }
  /** A trap or a log line from its address. */
  | { kind: 'sign'; evidence: Evidence }
  | { kind: 'reached'; evidence: Evidence }
  | { kind: 'not-reached'; why: 'connect' | 'sign-in' | 'host-key' | 'algorithms'; detail: string }
  | { kind: 'wrong-box'; evidence: Evidence }
  | { kind: 'differs'; evidence: Evidence }
  /** A card that is declared is not in it, and lines for its ports are not there. */
  | { kind: 'card-missing'; evidence: Evidence }
  | { kind: 'matches' | 'kept'; evidence: Evidence }
  | { kind: 'not-kept'; evidence: Evidence }
  /** A login of its first steps lets somebody in still. */
  | { kind: 'left-open'; evidence: Evidence }
  /** Somebody wants it proved as it is, without a boot. `was`: its stage. */
  | { kind: 'proof-asked'; was: 'prepared' | 'unproved' }
  /** Where it boots, and why that is not where the records have it. */
  | { kind: 'plugged'; at: string; elsewhere: string | undefined }
  /** Somebody says that it stands where it should. */
  | { kind: 'place-confirmed'; evidence: Evidence }
  /** A packet of it came, and it was given no answer. */
  | { kind: 'unanswered'; evidence: Evidence }
  /** `look`: it did not serve before, so that it may have been brought to its edition by hand. */
  | { kind: 'limit'; look?: boolean }
  | { kind: 'window-closed' };

/** Seconds that each wait may last. */
export interface Limits {
  packet: number;
  request: number;
  file: number;
  transfer: number;
  life: number;
  /** Between two tries to reach it. */
  probe: number;
}
export const standardLimits: Limits = { packet: 900, request: 60, file: 120, transfer: 180, life: 300, probe: 5 };

export type Effect =
  | { kind: 'milestone'; milestone: Milestone; evidence: Evidence }
  | { kind: 'stage'; stage: 'prepared' | 'arriving' | 'proving' | 'serving' | 'unproved' }
  /** Nothing more is waited for when `seconds` is left out. */
  | { kind: 'limit'; seconds?: number }
  | { kind: 'probe'; seconds: number }
  | { kind: 'close-window' }
  /** The device began anew: this boot is over, and the event belongs to the next. */
  | { kind: 'again' };

export interface ArrivalStep {
  state: Arrival;
  effects: Effect[];
}

/** Bytes a second of a line on which an image is still waited for. */
const SLOWEST = 32 * 1024;

/** Phases in which a device that asks for an address has begun anew. */
const over: Phase[] = ['living', 'proving', 'serving', 'closed'];

/** Phases that a file, fetched once more or noted late, does not lead back from. */
const beyond: Phase[] = ['proving', 'serving', 'closed'];

export function step(state: Arrival, event: ArrivalEvent, limits: Limits): ArrivalStep {
  const doing = new Steps(state);
  switch (event.kind) {
    case 'discover':
    case 'request':
      // A packet of a transaction that was answered already came late, or twice: nobody begins anew by it.
      if (over.includes(state.phase) && event.xid !== undefined && event.xid === state.xid) return doing.done();
      if (state.phase === 'living' && state.restarts === true) {
        doing.asked(event.xid);
        return doing.restarts(false).phase('booting').limit(limits.request).clear().done();
      }
      if (over.includes(state.phase)) return { state: { ...state, phase: 'closed' }, effects: [{ kind: 'again' }] };
      doing.asked(event.xid);
      if (doing.reach('powered', event.evidence))
        doing.stage('arriving').phase('booting').limit(limits.request).clear();
      return doing.done();
    case 'offered':
      doing.reach('offered', event.evidence);
      return doing.done();
    case 'leased':
      doing.pass('offered', event.evidence);
      if (doing.reach('leased', event.evidence)) doing.phase('fetching').limit(limits.file).clear();
      // After the restart into its image it has its lease once more.
      else if (state.phase === 'booting' && state.restarts === false) doing.phase('fetching').limit(limits.file);
      return doing.done();
    case 'file-asked':
      doing.reach('file asked', event.evidence);
      if (beyond.includes(state.phase)) return doing.done();
      doing.phase('fetching').limit(limits.transfer).clear('file-refused', 'no-file-request', 'file-broken');
      return doing.done();
    case 'file-complete':
      doing.reach('file complete', event.evidence);
      // The end of a transfer may be noted after the device has already called home.
      if (beyond.includes(state.phase)) return doing.done();
      doing.phase('living').limit(limits.life).probe(limits.probe).clear();
      return doing.done();
    case 'further-complete':
      if (beyond.includes(state.phase)) return doing.done();
      if (state.reached.includes('file complete')) return doing.phase('living').limit(limits.life).done();
      return doing.limit(limits.transfer).clear('file-broken').done();
    case 'leg-complete':
      if (beyond.includes(state.phase)) return doing.done();
      return doing.fetchedLeg(event.leg).phase('booting').limit(event.seconds).clear().done();
    case 'image-asked':
      if (beyond.includes(state.phase)) return doing.done();
      return doing
        .phase('fetching')
        .limit(Math.max(limits.transfer, Math.ceil(event.bytes / SLOWEST)))
        .clear('file-refused', 'file-broken')
        .done();
    case 'image-complete':
      doing.reach('image', event.evidence);
      if (beyond.includes(state.phase)) return doing.done();
      return doing.restarts(true).phase('living').limit(event.seconds).clear().probe(limits.probe).done();
    case 'file-refused':
      if (state.phase !== 'closed') doing.diagnose('file-refused', event.evidence);
      return doing.done();
    case 'file-broken':
      doing.diagnose('file-broken', event.evidence);
      return doing.done();
    case 'called-home':
      return calledHome(doing, event);
    case 'sign':
      // Before it has its file it says nothing that would lead on; once it is proved, nothing more is needed.
      // One that runs already, and is expected, is looked at: it may have been brought to its edition by hand.
      if (state.phase === 'expected') return doing.lives(event.evidence).probe(0).done();
      if (state.phase !== 'living') return doing.done();
      return doing
        .lives(event.evidence)
        .phase('proving')
        .stage('proving')
        .limit()
        .clear('no-sign-of-life')
        .probe(0)
        .done();
    case 'plugged':
      return doing.plugged(event.at, event.elsewhere).done();
    case 'place-confirmed':
      doing.confirmed(event.evidence);
      return state.reached.includes('kept') ? serves(doing.clear()).done() : doing.done();
    case 'proof-asked':
      if (state.phase === 'serving' || state.phase === 'closed') return doing.done();
      if (state.phase === 'expected') doing.began(event.was);
      return doing.phase('proving').stage('proving').limit().clear().probe(0).done();
    case 'unanswered':
      // What it was given before is known better than why it is given nothing now.
      if (state.phase === 'expected' || state.phase === 'booting') doing.diagnose('not-answered', event.evidence);
      return doing.done();
    case 'window-closed':
      if (state.phase === 'serving') return doing.done();
      // Where nothing was heard, the device is what it was before.
      if (state.phase !== 'expected') doing.stage(state.was ?? 'prepared');
      return doing.phase('closed').limit().done();
    case 'limit':
      return missed(doing, event.look === true);
    default:
      return proof(doing, event, limits);
  }
}

function calledHome(doing: Steps, event: ArrivalEvent & { kind: 'called-home' }): ArrivalStep {
  if (event.rejected.length === 0) {
    doing.reach('applied', event.evidence);
    doing.clear();
  } else {
    const lines = event.rejected.map(({ line, why }) => `${line} (${why})`);
    doing.diagnose('line-rejected', { ...event.evidence, lines });
  }
  doing.reach('called home', event.evidence);
  return doing.phase('proving').stage('proving').limit().probe(0).done();
}

type ProofEvent = ArrivalEvent & {
  kind:
    | 'reached'
    | 'not-reached'
    | 'wrong-box'
    | 'image-differs'
    | 'differs'
    | 'matches'
    | 'kept'
    | 'not-kept'
    | 'left-open'
    | 'card-missing';
};

/** What the service found when it signed in. */
function proof(doing: Steps, event: ProofEvent, limits: Limits): ArrivalStep {
  const again = limits.probe * 6;
  switch (event.kind) {
    case 'reached':
      // An answer over SSH is a sign of life, too; whoever runs the new account has applied the file.
      doing.reach('reached', event.evidence);
      return doing.phase('proving').stage('proving').limit().clear('no-sign-of-life', 'ssh-refused').done();
    case 'not-reached':
      // Who was looked at before it booted, and does not answer, is simply still expected.
      if (doing.state.phase === 'expected' && event.why === 'connect') return doing.done();
      if (doing.state.phase === 'expected')
        return doing.diagnose('runs-already', { detail: event.detail }).probe(again).done();
      // Before its sign of life a device may well be restarting.
      if (event.why === 'connect' && doing.state.phase === 'living') return doing.probe(limits.probe).done();
      if (event.why === 'connect' && !doing.waited()) return doing.probe(limits.probe).done();
      doing.diagnose(event.why === 'host-key' ? 'host-key-changed' : 'ssh-refused', {
        detail: event.detail,
        why: event.why,
      });
      return doing.probe(again).done();
    case 'wrong-box':
      return doing.diagnose('wrong-box', event.evidence).probe(again).done();
    case 'image-differs':
      return doing.diagnose('wrong-image', event.evidence).probe(again).done();
    case 'card-missing':
      // The cause goes before the lines that were turned down because of it.
      return doing.diagnose('card-missing', event.evidence).probe(again).done();
    case 'differs':
      // A line that was turned down explains the difference better than the difference does.
      if (doing.state.diagnosis?.code !== 'line-rejected') doing.diagnose('differs', event.evidence);
      return doing.probe(again).done();
    case 'matches':
      doing.reach('applied', event.evidence);
      doing.reach('matches', event.evidence);
      return doing.clear().done();
    case 'left-open':
      return doing.diagnose('left-open', event.evidence).probe(again).done();
    case 'not-kept':
      return doing.diagnose('not-kept', event.evidence).probe(again).done();
    case 'kept':
      doing.reach('kept', event.evidence);
      if (typeof doing.state.elsewhere === 'string')
        return doing.phase('proving').diagnose('other-place', { why: doing.state.elsewhere }).limit().done();
      return serves(doing).done();
  }
}

function serves(doing: Steps): Steps {
  doing.reach('serving', doing.state.confirmed ?? {});
  return doing.phase('serving').stage('serving').clear().limit().close();
}

const missedIn: Partial<Record<Phase, (state: Arrival) => DiagnosisCode>> = {
  expected: () => 'no-packet',
  booting: (state) => ((state.legs ?? 0) > 0 ? 'not-back' : 'no-request'),
  fetching: (state) => (state.reached.includes('file asked') ? 'file-incomplete' : 'no-file-request'),
  living: (state) => (state.restarts === true ? 'not-back' : 'no-sign-of-life'),
};

function missed(doing: Steps, look: boolean): ArrivalStep {
  const code = missedIn[doing.state.phase]?.(doing.state);
  // What is known already is not made less clear.
  // Perhaps it has a configuration already, and asks for nothing.
  if (doing.state.phase === 'expected' && look) doing.probe(0);
  if (code !== undefined && (doing.state.diagnosis === null || doing.state.diagnosis.code === 'no-packet'))
    doing.diagnose(code, {});
  return doing.limit().done();
}

/** Gathers what follows from an event. */
class Steps {
  state: Arrival;
  private readonly effects: Effect[] = [];

  constructor(state: Arrival) {
    this.state = state;
  }

  /** Whether the milestone is new. */
  reach(milestone: Milestone, evidence: Evidence): boolean {
    if (this.state.reached.includes(milestone)) return false;
    this.state = { ...this.state, reached: [...this.state.reached, milestone] };
    this.effects.push({ kind: 'milestone', milestone, evidence });
    return true;
  }

  /** A milestone that a later one implies: nothing was lost when it was not seen. */
  pass(milestone: Milestone, evidence: Evidence): void {
    if (milestone === 'offered' && this.state.reached.includes('powered')) this.reach(milestone, evidence);
  }

  /** By which transaction it asks for its address now. */
  asked(xid: number | undefined): void {
    if (xid !== undefined) this.state = { ...this.state, xid };
  }

  /** Fetched once more it counts no second time. */
  fetchedLeg(leg: number): this {
    this.state = { ...this.state, legs: Math.max(this.state.legs ?? 0, leg + 1) };
    return this;
  }

  /** Somebody's word holds for the place that it was said of. */
  plugged(at: string, elsewhere: string | undefined): this {
    if (this.state.plugged === at && this.state.elsewhere === null) return this;
    const { elsewhere: _, ...rest } = this.state;
    this.state = { ...rest, plugged: at, ...(elsewhere === undefined ? {} : { elsewhere }) };
    return this;
  }

  confirmed(evidence: Evidence): this {
    this.state = { ...this.state, elsewhere: null, confirmed: evidence };
    return this;
  }

  lives(evidence: Evidence): this {
    this.state = { ...this.state, life: this.state.life ?? evidence };
    return this;
  }

  restarts(may: boolean): this {
    this.state = { ...this.state, restarts: may };
    return this;
  }

  phase(phase: Phase): this {
    this.state = { ...this.state, phase };
    return this;
  }

  began(was: 'prepared' | 'unproved'): this {
    this.state = { ...this.state, was };
    return this;
  }

  stage(stage: Extract<Effect, { kind: 'stage' }>['stage']): this {
    this.effects.push({ kind: 'stage', stage });
    return this;
  }

  limit(seconds?: number): this {
    this.effects.push(seconds === undefined ? { kind: 'limit' } : { kind: 'limit', seconds });
    return this;
  }

  probe(seconds: number): this {
    this.effects.push({ kind: 'probe', seconds });
    return this;
  }

  close(): this {
    this.effects.push({ kind: 'close-window' });
    return this;
  }

  diagnose(code: DiagnosisCode, evidence: Evidence): this {
    this.state = {
      ...this.state,
      diagnosis: { code, evidence, since: null, tries: (this.state.diagnosis?.tries ?? 0) + 1 },
    };
    return this;
  }

  /** Whether it has been tried in vain before. */
  waited(): boolean {
    const tries = this.state.diagnosis?.tries ?? 0;
    if (this.state.diagnosis === null)
      this.state = { ...this.state, diagnosis: { code: 'ssh-waiting', evidence: {}, since: null, tries: 1 } };
    else this.state = { ...this.state, diagnosis: { ...this.state.diagnosis, tries: tries + 1 } };
    return tries >= 3;
  }

  /** What was wrong is over: all of it, or only these. */
  clear(...codes: DiagnosisCode[]): this {
    const { diagnosis } = this.state;
    if (diagnosis && (codes.length === 0 || codes.includes(diagnosis.code) || diagnosis.code === 'ssh-waiting'))
      this.state = { ...this.state, diagnosis: null };
    return this;
  }

  done(): ArrivalStep {
    return { state: this.state, effects: this.effects };
  }
}
