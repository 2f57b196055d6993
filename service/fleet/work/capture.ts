/** The configurations of one device, and the files that its dialect names beside them. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { RunRow } from '@zpine/contract/fleetShapes';
import { capturedText } from '../../app/fleet/capturedText.ts';
import type { Captured } from '../../app/fleet/captures.ts';
import type { IntendedEdition } from '../../app/fleet/compared.ts';
import type { FoundFiles } from '../../app/fleet/filing.ts';
import type { Target } from '../../app/fleet/access.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';

/** The largest file that is captured. */
export const CAPTURE_BYTES = 4 * 1024 * 1024;

type Failed = NonNullable<RunRow['files']>[number];

/** The secrets of an edition, as they stand in its files. */
export const secretsOf = (edition: IntendedEdition | undefined): string[] =>
  (edition?.files ?? []).flatMap((file) => file.secrets.map(([from, to]) => file.text.slice(from, to)));

/** Files that an edition brings, as they are there: under their paths. `brought`: its secrets. */
export function capturedFiles(
  dialect: Dialect,
  { secrets }: Pick<Target, 'secrets'>,
  brought: readonly string[],
  found: FoundFiles | undefined,
): Captured[] {
  if (!found) return [];
  return [...found].flatMap(([path, file]): Captured[] => {
    if (!file)
      return [
        {
          file: path,
          content: Buffer.alloc(0),
          binary: true,
          shown: '',
          secrets: [],
          steady: Buffer.alloc(0),
          gone: true,
        },
      ];
    const content = Buffer.from(file.content);
    const text = content.toString('utf8');
    return Buffer.from(text, 'utf8').equals(content)
      ? [capturedText(dialect, [...secrets, ...brought], path, text)]
      : [{ file: path, content, binary: true, shown: '', secrets: [], steady: content }];
  });
}

function decoded(text: string, encoding: 'base64' | 'hex'): Buffer | undefined {
  const bare = text.replace(/\s+/g, '');
  const fits = encoding === 'hex' ? /^([0-9a-f]{2})*$/i : /^[A-Za-z0-9+/]*={0,2}$/;
  return fits.test(bare) ? Buffer.from(bare, encoding) : undefined;
}

export async function captureDevice({ dialect, secrets }: Target, session: Session): Promise<Done> {
  if (!dialect) throw new Error('it has no dialect');
  const { sheet } = dialect;
  const wanted = [
    { file: 'running', command: sheet.running, encoding: 'text' as const },
    ...(sheet.stored === undefined ? [] : [{ file: 'stored', command: sheet.stored, encoding: 'text' as const }]),
    ...Object.entries(sheet.files).map(([file, { command, encoding }]) => ({ file, command, encoding })),
  ];
  const captured: Captured[] = [];
  const failed: Failed[] = [];
  const miss = (file: string, why: string) =>
    void failed.push({ file, bytes: 0, fingerprint: '', changed: false, binary: false, failed: why });
  for (const { file, command, encoding } of wanted) {
    let answer;
    try {
      answer = await session.run(command);
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      return done(captured, failed, why);
    }
    if (answer.refused !== undefined) miss(file, answer.refused);
    else if (answer.cut) miss(file, `larger than ${CAPTURE_BYTES / 1024 / 1024} MiB`);
    else if (encoding === 'text') captured.push(capturedText(dialect, secrets, file, answer.text));
    else {
      const content = decoded(answer.text, encoding);
      if (content) captured.push({ file, content, binary: true, shown: '', secrets: [], steady: content });
      else miss(file, `what "${command}" printed is no ${encoding}`);
    }
  }
  return done(captured, failed, undefined);
}

function done(captured: Captured[], failed: Failed[], broken: string | undefined): Done {
  const whole = broken === undefined && captured.some((one) => one.file === 'running');
  const words = [broken, ...failed.map((one) => `${one.file}: ${one.failed}`)].filter(Boolean).join('; ');
  return {
    outcome: whole
      ? 'captured'
      : broken === undefined
        ? 'turned down'
        : captured.length === 0
          ? 'no contact'
          : 'stopped midway',
    detail: words,
    captureTried: true,
    ...(captured.length > 0 ? { captured } : {}),
    result: { files: failed },
  };
}
