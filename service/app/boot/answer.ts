/** Answers one DHCP message, in one unit of work: a lease is on disk before its ACK goes out. */
import { decide, type Decision, type Outgoing } from '@zpine/core/dhcp/decide';
import { typeOfMessage, type Message } from '@zpine/core/dhcp/message';
import type { Tx } from '../../store/tx.ts';
import { applyEvent, openArrival } from '../arrivals/arrivals.ts';
import { saveStranger, strangerId } from '../arrivals/strangers.ts';
import { lookFor } from './look.ts';
import { decline, release, saveLease } from './leases.ts';
import { saveBootRecord } from './records.ts';
import { saveRefusedRelay } from './relays.ts';

const DECLINED_SECONDS = 3600;

/** Nobody is answered, and nothing written down: whoever listens counts it. */
export type OnlyCounted = { counted: string };

/** `source`: where the packet came from, as devices know the address. */
export async function answerDhcp(
  tx: Tx,
  message: Message,
  source: string,
): Promise<Outgoing | OnlyCounted | undefined> {
  const decision = decide(await lookFor(tx, message, source, true), message, source, (await tx.now()).ms);
  await carryOut(tx, decision);
  const { outcome, detail, client, address, device } = decision;
  if (outcome === 'counted') return { counted: detail };
  const type = typeOfMessage(message);
  const what = type.ok ? type.value : 'message';
  await saveBootRecord(tx, { protocol: 'dhcp', what, outcome, mac: client.mac, detail, address, device: device?.id });
  return decision.out;
}

async function carryOut(tx: Tx, decision: Decision): Promise<void> {
  const { client, link, device, offer, lease, given, stranger, refusedRelay } = decision;
  if (given?.verb === 'released') await release(tx, given.address, client.word);
  if (given?.verb === 'declined') await decline(tx, given.address, client.word, DECLINED_SECONDS);
  if (!link) return;
  if (refusedRelay) await saveRefusedRelay(tx, link, refusedRelay.relay, refusedRelay.source);
  if (stranger) await saveStranger(tx, client, link, stranger.address, stranger.conflict);
  if (lease && offer) {
    const nobody = device ? null : ((await strangerId(tx, client)) ?? null);
    const holder = { word: client.word, mac: client.mac, device: device?.id ?? null, stranger: nobody };
    await saveLease(tx, link, offer, holder, lease.seconds, lease.acknowledged);
  }
  if (device) await tellArrival(tx, device.id, decision.arrival ?? []);
}

async function tellArrival(tx: Tx, device: number, happened: NonNullable<Decision['arrival']>): Promise<void> {
  if (happened.length === 0) return;
  let row = await openArrival(tx, device);
  for (const { event, ...seen } of happened) if (row) row = await applyEvent(tx, row, event, seen);
}
