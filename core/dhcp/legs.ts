/** Legs of a boot profile, as they are typed: `[{file: '{device}.stage', template: quill-stage}]`. */
import { patternFault, type Leg } from './profiles.ts';

const MOST = 5;
const KEYS = ['file', 'template', 'class'];

export type LegFault = { path: (string | number)[]; why: string };

export function readLegs(value: unknown): { legs: Leg[]; faults: LegFault[] } {
  const faults: LegFault[] = [];
  const legs: Leg[] = [];
  if (value === null || value === undefined) return { legs, faults };
  if (!Array.isArray(value)) return { legs, faults: [{ path: [], why: 'they are a list' }] };
  if (value.length > MOST) faults.push({ path: [], why: `${MOST} at most` });
  for (const [i, one] of (value as unknown[]).entries()) {
    if (typeof one !== 'object' || one === null || Array.isArray(one)) {
      faults.push({ path: [i], why: 'each is a map' });
      continue;
    }
    const held = one as Record<string, unknown>;
    for (const key of Object.keys(held))
      if (!KEYS.includes(key)) faults.push({ path: [i, key], why: `"${key}" is not known` });
    const text = (key: string): string => (typeof held[key] === 'string' ? held[key].trim() : '');
    const [file, template, said] = [text('file'), text('template'), text('class')];
    const wrong = patternFault(file);
    if (wrong !== undefined) faults.push({ path: [i, 'file'], why: wrong });
    if (template === '') faults.push({ path: [i, 'template'], why: 'no template is named' });
    if (held.class !== undefined && said === '') faults.push({ path: [i, 'class'], why: 'the class is empty' });
    legs.push({ file, template, ...(said === '' ? {} : { class: said }) });
  }
  return { legs, faults };
}
