/** A report of checks to print: one page of HTML that needs nothing beside it. */
import { foundAlike, unknownsOf } from './checkFolding.ts';
import { stateWords, type CheckCounts, type ShownResult } from './checkShapes.ts';

export interface Report {
  counts: readonly CheckCounts[];
  /** Those that do not hold, are not known, or are excepted. */
  results: readonly ShownResult[];
  /** ISO 8601. */
  at: string;
  /** What it is about: a selection, or nothing for everything. */
  where: string;
  /** There are more results than these. */
  more: boolean;
}

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

const when = (iso: string | null): string => (iso === null ? 'never' : iso.slice(0, 16).replace('T', ' '));

const STYLE = `body{font:11pt/1.4 'Atkinson Hyperlegible Next',sans-serif;color:#2c2a26;margin:2cm auto;max-width:24cm}
h1{font-size:17pt;margin:0}p{margin:.2em 0 1.2em}table{border-collapse:collapse;width:100%;margin-bottom:1.5em}
th,td{text-align:left;vertical-align:top;padding:.25em .7em .25em 0;border-bottom:1px solid #d6cfbf}th{color:#6b655a;font-weight:600}
.n{text-align:right}.w,.m{white-space:nowrap}.m{font-family:'Atkinson Hyperlegible Mono',monospace;font-size:10pt}tr{break-inside:avoid}
@media print{body{margin:0;max-width:none}thead{display:table-header-group}}`;

const row = (cells: readonly string[]): string => `<tr>${cells.join('')}</tr>`;
const cell = (text: string, kind = ''): string => `<td${kind === '' ? '' : ` class="${kind}"`}>${escaped(text)}</td>`;
const heads = (names: readonly string[], numbers: readonly string[] = []): string =>
  `<thead>${row(names.map((name) => `<th${numbers.includes(name) ? ' class="n"' : ''}>${name}</th>`))}</thead>`;
const many = (n: number): string => cell(String(n), 'n');

const NUMBERS = ['devices', 'hold', 'do not', 'not known', 'excepted'];

const checks = (n: number): string => `${n} check${n === 1 ? '' : 's'}`;

/** What is excepted, is for nobody, or cannot be told for whom, does not count as holding. */
export function reportSentence({ counts }: Pick<Report, 'counts'>): string {
  if (counts.length === 0) return 'There are no checks.';
  const many = (is: (one: CheckCounts) => boolean): number => counts.filter(is).length;
  const idle = ({ devices, fault }: CheckCounts) => fault !== null || devices === 0;
  const unsure = (one: CheckCounts) => one.unknown + one.unjudged > 0;
  const broken = many(({ broken: n }) => n > 0);
  const unknown = many((one) => one.broken === 0 && unsure(one));
  const excepted = many((one) => one.broken === 0 && !unsure(one) && one.excepted > 0);
  const nobody = many(idle);
  const hold = counts.length - broken - unknown - excepted - nobody;
  const words = [
    `${hold} of ${checks(counts.length)} hold${hold === 1 ? 's' : ''} on every device that they are for`,
    broken > 0 && `${broken} do${broken === 1 ? 'es' : ''} not on some`,
    unknown > 0 && `${unknown} ${unknown === 1 ? 'is' : 'are'} not known everywhere`,
    excepted > 0 && `${excepted} hold${excepted === 1 ? 's' : ''} but for exceptions`,
    nobody > 0 && `${nobody} ${nobody === 1 ? 'is' : 'are'} for no device`,
  ];
  return `${words.filter(Boolean).join(', ')}.`;
}

export function reportHtml(report: Report): string {
  const { counts, results, at, where } = report;
  const overview = counts.map((one) =>
    row([
      cell(one.title),
      cell(one.check, 'm'),
      many(one.devices),
      many(one.holds),
      many(one.broken),
      many(one.unknown + one.unjudged),
      many(one.excepted),
      cell(one.fault ?? when(one.judgedAt), one.fault === null ? 'w' : ''),
    ]),
  );
  const unknown = unknownsOf(results).map(({ why, checks, devices }) =>
    row([cell(checks.join(', ')), cell(devices.join(', ')), cell(why)]),
  );
  const found = foundAlike(results).map(({ first: one, devices }) =>
    row([
      cell(devices.join(', '), devices.length === 1 ? 'm' : ''),
      cell(one.title),
      cell(stateWords[one.state], 'w'),
      `<td>${(one.findings.length > 0 ? one.findings : [one.why]).map(escaped).join('<br>')}${
        one.until === null ? '' : `<br>excepted until ${escaped(one.until)}: ${escaped(one.because ?? '')}`
      }</td>`,
      cell(when(one.since), 'w'),
    ]),
  );
  const rest = report.more ? '<p>There is more than stands here: narrow the selection.</p>' : '';
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Checks, ${escaped(when(at))}</title><style>${STYLE}</style></head><body>
<h1>Checks${where === '' ? '' : ` of ${escaped(where)}`}</h1>
<p>${escaped(reportSentence(report))} ${escaped(when(at))} UTC.</p>
<table>${heads(['what has to hold', 'check', ...NUMBERS, 'judged'], NUMBERS)}<tbody>${overview.join('\n')}</tbody></table>
${found.length === 0 ? '' : `<table>${heads(['device', 'what has to hold', 'state', 'found', 'since'])}<tbody>${found.join('\n')}</tbody></table>`}
${unknown.length === 0 ? '' : `<table>${heads(['not known', 'on', 'because'])}<tbody>${unknown.join('\n')}</tbody></table>`}${rest}
</body></html>
`;
}
