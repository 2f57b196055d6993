/** Bringing devices that run to another image: looked at first, and begun by the number of devices. */
import { fileUrl } from '@zpine/core/dhcp/bootUrl';
import type { Expectation } from '@zpine/core/fleet/expectations';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { newSecret } from '../access/secrets.ts';
import type { Target } from '../fleet/access.ts';
import { mustBeQuestion } from '../fleet/asks.ts';
import { expectsOf } from '../fleet/errands.ts';
import { makeRun } from '../fleet/runs.ts';
import { mustBeMeant, selected } from '../fleet/selection.ts';
import { targetsOf } from '../fleet/targets.ts';
import { contentOf, imageNamed } from './content.ts';
import { UPGRADE_WORD, type UpgradeSeal } from './upgradeRows.ts';
import { imagesWanted } from './wanted.ts';

export async function upgrade(tx: Tx, body: BodyOf<'run.upgrade'>): Promise<RunHead> {
  const found = await selected(tx, body);
  const { devices } = found;
  await mustBeMeant(tx, body, devices.length);
  const named = body.image === undefined ? undefined : await imageNamed(tx, body.image);
  if (named) await mustBeHere(tx, named);
  const wanted = named ? undefined : await imagesWanted(tx, devices);
  const targets = await targetsOf(tx, devices);
  const expects = await expectsOf(tx, devices, body);
  const dialects = [...new Set([...targets.values()].flatMap(({ dialect }) => dialect ?? []))];
  for (const [i, question] of body.questions.entries()) mustBeQuestion(question, dialects, ['questions', i]);
  const sealed = new Map<number, string>();
  for (const device of devices) {
    const image = named ?? wanted?.get(device.id)?.image;
    const seal = await sealFor(tx, targets.get(device.id), image, expects.get(device.id) ?? []);
    sealed.set(device.id, JSON.stringify(seal));
  }
  return makeRun(tx, {
    kind: 'upgrade',
    title: named ? `Bring to ${named.key}, version ${named.release}` : 'Bring to the wanted version',
    input: {
      asks: body.questions.map((question) => ({ question })),
      expect: body.expect,
      confirmed: false,
      insist: body.insist,
      ...(body.perSite === undefined ? {} : { perSite: body.perSite }),
    },
    selected: found,
    sealed,
  });
}

async function mustBeHere(tx: Tx, image: Stored<'image'>): Promise<void> {
  const content = contentOf(image);
  if (!content) throw new Refusal('image-empty', { image: image.key });
  if (!(await tx.store.contents.holds(content)))
    throw new Refusal('image-absent', { image: image.key, sha256: content.sha256 });
}

/** What is known beforehand is said instead of reaching the device. */
async function sealFor(
  tx: Tx,
  target: Target | undefined,
  image: Stored<'image'> | undefined,
  expect: Expectation[],
): Promise<UpgradeSeal | { leftOut: string }> {
  const dialect = target?.dialect;
  const speaks = target?.dialectName ?? 'no dialect';
  if (!target || !dialect) return { leftOut: 'nothing is known of its dialect' };
  if (!image) return { leftOut: 'it wants no image: image.wanted names none for its model or dialect' };
  if (!dialect.sheet.images)
    return { leftOut: `the sheet of ${dialect.sheet.title} does not say how images are changed` };
  if (!dialect.sheet.restart)
    return { leftOut: `the sheet of ${dialect.sheet.title} does not say how a device is restarted` };
  if (tx.place.address === '') return { leftOut: 'the service has no address for booting devices: ZPINE_BOOT_ADDRESS' };
  const unfit = await unfitFor(tx, target, image);
  if (unfit) return { leftOut: `${image.key} is for ${unfit}, and it has ${speaks}` };
  const content = contentOf(image);
  if (!content || image.sha512 === null)
    return { leftOut: `image ${image.key} has no content yet: zpine image put ${image.key} FILE` };
  if (!(await tx.store.contents.holds(content)))
    return { leftOut: `this service does not have the content of ${image.key}` };
  const word = newSecret(UPGRADE_WORD);
  return {
    image: image.id,
    name: image.key,
    file: image.file,
    version: image.release,
    ...content,
    sha512: image.sha512,
    word,
    url: fileUrl(tx.place, 'http', word, image.file),
    server: tx.place.address,
    address: target.address,
    expect,
  };
}

/** For which other model or dialect an image is, in words; undefined where it suits. */
async function unfitFor(tx: Tx, target: Target, image: Stored<'image'>): Promise<string | undefined> {
  const [device] = await tx.select<{ model_id: number | null }>('SELECT model_id FROM device WHERE id = ?', [
    target.device,
  ]);
  const named = await tx.one<{ dialect: string; model: string | null }>(
    `SELECT d.natural_key AS dialect, m.natural_key AS model FROM image i JOIN dialect d ON d.id = i.dialect_id
     LEFT JOIN model m ON m.id = i.model_id WHERE i.id = ?`,
    [image.id],
  );
  if (named?.dialect !== target.dialectName) return named?.dialect ?? 'another dialect';
  return image.model !== null && image.model !== Number(device?.model_id)
    ? (named.model ?? 'another model')
    : undefined;
}
