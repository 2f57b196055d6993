/** A fragment matches no devices: it is inserted by name. Places are for outputs that the template makes. */
import { readPlaces } from '@zpine/core/config/filing';
import { nearest } from '@zpine/core/naming/names';
import { withTodaysDirectives } from '@zpine/core/template/former';
import { outputsOf } from '@zpine/core/template/outputs';
import { parseTemplate } from '@zpine/core/template/parse';
import { allOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import type { Draft, KindRules } from '../records/draft.ts';

export const templateRules: KindRules = {
  recall: (image) =>
    typeof image.source === 'string' ? { ...image, source: withTodaysDirectives(image.source) } : image,

  async prepare(tx, drafts) {
    for (const draft of drafts) {
      if (draft.after.fragment === true)
        for (const field of ['dialect', 'model', 'duty'])
          if (draft.id(field) !== null) draft.fault(field, 'template-fragment', { template: draft.text('name') ?? '' });
      if (draft.changes('files') || (draft.changes('source') && (draft.after.files ?? null) !== null))
        await lookAtPlaces(tx, draft);
    }
  },
};

async function lookAtPlaces(tx: Tx, draft: Draft): Promise<void> {
  const { places, faults } = readPlaces(draft.after.files);
  for (const { path, code, params } of faults) draft.fault(['files', ...path], code, params);
  if (faults.length > 0 || places.length === 0) return;
  const outputs = await outputsMade(tx, draft.text('source') ?? '');
  if (!outputs) return;
  for (const [i, { output }] of places.entries()) {
    if (outputs.includes(output)) continue;
    const meant = nearest(output, outputs);
    draft.fault(['files', i, 'output'], 'place-no-output', { output, ...(meant === undefined ? {} : { meant }) });
  }
}

/** With those of fragments; undefined where a name is worked out, or nobody knows what is inserted. */
async function outputsMade(tx: Tx, source: string): Promise<string[] | undefined> {
  const known = new Map((await allOf(tx, 'template')).map((one) => [one.key, one.source]));
  const out: string[] = [];
  const seen = new Set<string>();
  const look = (text: string): boolean => {
    const { template } = parseTemplate('template', text);
    const own = outputsOf(template.body);
    if (!own) return false;
    out.push(...own);
    return template.inserts.every((name) => {
      if (seen.has(name)) return true;
      seen.add(name);
      const inner = known.get(name);
      return inner !== undefined && look(inner);
    });
  };
  return look(source) ? out : undefined;
}
