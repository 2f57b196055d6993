/** A boot profile is for clients that no other one is for, and names files that can be fetched. */
import { readLegs } from '@zpine/core/dhcp/legs';
import { strangerNames } from '@zpine/core/dhcp/strangerNames';
import { fileBlanks, patternFault, saidWords } from '@zpine/core/dhcp/profiles';
import { checkTemplate } from '@zpine/core/template/check';
import { faultText } from '@zpine/core/template/faults';
import { allOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { profileLints } from '../boot/lints.ts';
import { fragmentsOf } from '../editions/templates.ts';
import { optionsNamed } from '../settings/options.ts';
import { asStored, type Draft, type KindRules } from '../records/draft.ts';

export const bootprofileRules: KindRules = {
  async prepare(tx, drafts) {
    for (const draft of drafts) {
      lookAtNames(draft);
      if (draft.text('transport') === 'https' && draft.changes('transport') && tx.place.httpsPort === 0)
        draft.fault('transport', 'profile-https');
      await lookAtLegs(tx, draft);
      await lookAtOptions(tx, draft);
      await lookAtStrangers(tx, draft);
      await lookAtOthers(tx, draft, drafts);
    }
  },
  async added(tx, records) {
    await remark(
      tx,
      records.map(({ id }) => id),
    );
  },
  async edited(tx, pairs) {
    await remark(
      tx,
      pairs.map(({ after }) => after.id),
    );
  },
};

/** What is possible, and nothing that its clients would take. */
async function remark(tx: Tx, ids: readonly number[]): Promise<void> {
  const all = (await allOf(tx, 'bootprofile')).filter(({ id }) => ids.includes(id));
  for (const profile of all)
    for (const lint of await profileLints(tx, asStored('bootprofile', profile)))
      tx.remark({ kind: 'bootprofile', key: profile.key, ...lint });
}

function lookAtNames(draft: Draft): void {
  const named = (field: string, patterns: readonly string[], ...without: string[]): void => {
    for (const pattern of patterns) {
      const why =
        patternFault(pattern) ??
        without.flatMap((blank) => (pattern.includes(blank) ? `${blank} is not known of a stranger` : []))[0];
      if (why !== undefined) draft.fault(field, 'profile-file', { value: pattern, why });
    }
  };
  named('file', [draft.text('file') ?? '']);
  named('names', saidWords(draft.text('names')));
  const ofStranger = draft.text('strangerFile');
  if (ofStranger !== null)
    named(
      'strangerFile',
      [ofStranger],
      ...fileBlanks.filter((one) => one === 'device' || one === 'model').map((one) => `{${one}}`),
    );
}

async function lookAtLegs(tx: Tx, draft: Draft): Promise<void> {
  const { legs, faults } = readLegs(draft.after.legs);
  for (const { path, why } of faults) draft.fault(['legs', ...path], 'profile-leg', { why });
  if (legs.length === 0) return;
  const known = new Set((await allOf(tx, 'template')).map(({ key }) => key));
  for (const [i, { template }] of legs.entries())
    if (template !== '' && !known.has(template))
      draft.fault(['legs', i, 'template'], 'profile-leg', { why: `there is no template ${template}` });
}

async function lookAtOptions(tx: Tx, draft: Draft): Promise<void> {
  for (const { word, code } of await optionsNamed(tx, saidWords(draft.text('unasked'))))
    if (code === undefined) draft.fault('unasked', 'option-unknown', { value: word });
}

async function lookAtStrangers(tx: Tx, draft: Draft): Promise<void> {
  const [file, text] = [draft.text('strangerFile'), draft.id('strangerText')];
  if ((file === null) !== (text === null))
    draft.fault(file === null ? 'strangerFile' : 'strangerText', 'profile-stranger');
  if (text === null) return;
  if (saidWords(draft.text('classes')).length === 0) draft.fault('classes', 'profile-class');
  const template = (await allOf(tx, 'template')).find(({ id }) => id === text);
  const fragments = await fragmentsOf(tx);
  const [fault] = template
    ? checkTemplate(template.key, template.source, (name) => fragments.get(name), strangerNames)
    : [];
  if (fault) draft.fault('strangerText', 'profile-text', { first: faultText(fault) });
}

/** Of two for the same clients nobody could say which one holds. */
async function lookAtOthers(tx: Tx, draft: Draft, drafts: readonly Draft[]): Promise<void> {
  const shape = (of: { dialect: unknown; model: unknown; duty: unknown }) =>
    JSON.stringify([of.dialect ?? null, of.model ?? null, of.duty ?? null]);
  const read = (one: Draft) => ({
    name: one.text('name') ?? '',
    dialect: one.id('dialect'),
    model: one.id('model'),
    duty: one.id('duty'),
    classes: one.text('classes'),
  });
  const own = read(draft);
  const changing = new Set(drafts.flatMap(({ before }) => before?.id ?? []));
  const others = [
    ...(await allOf(tx, 'bootprofile')).filter(({ id }) => !changing.has(id)),
    ...drafts.filter((one) => one !== draft).map(read),
  ];
  const classes = saidWords(own.classes);
  const clash = others.find((one) => {
    const theirs = saidWords(one.classes);
    const same = classes.length === 0 ? theirs.length === 0 : theirs.some((word) => classes.includes(word));
    return shape(one) === shape(own) && same;
  });
  if (clash) draft.fault(classes.length > 0 ? 'classes' : 'name', 'profile-same', { other: clash.name });
}
