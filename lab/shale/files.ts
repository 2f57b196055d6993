/** Files of a simulated Shale host, and the few commands of Linux by which they are read, put and taken away. */
import { createHash } from 'node:crypto';
import type { Ended } from '../ssh.ts';

interface HostFile {
  content: Buffer;
  owner: string;
  mode: string;
}

export type HostFiles = Map<string, HostFile>;

export interface FileFaults {
  /** There is no room for more. */
  full: () => boolean;
  /** What is moved into place is lost without a word. */
  loses: () => boolean;
}

const ok = (out = ''): Ended => ({ out, wrong: '', status: 0 });
const wrong = (words: string): Ended => ({ out: '', wrong: `${words}\n`, status: 1 });
const missing = (program: string, path: string): Ended => wrong(`${program}: ${path}: No such file or directory`);

const PATH = '(/[A-Za-z0-9._/@+=:,%-]+)';

type Form = [form: RegExp, run: (found: string[], files: HostFiles, faults: FileFaults) => Ended];

const forms: Form[] = [
  [
    new RegExp(`^base64 ${PATH}$`),
    ([path = ''], files) => withFile('base64', path, files, ({ content }) => wrapped(content)),
  ],
  [
    new RegExp(`^stat -c %U:%G/%a ${PATH}$`),
    ([path = ''], files) => withFile('stat', path, files, ({ owner, mode }) => `${owner}/${mode}\n`),
  ],
  [
    new RegExp(`^sha256sum ${PATH}$`),
    ([path = ''], files) =>
      withFile(
        'sha256sum',
        path,
        files,
        ({ content }) => `${createHash('sha256').update(content).digest('hex')}  ${path}\n`,
      ),
  ],
  [new RegExp(`^mkdir -p ${PATH}$`), () => ok()],
  [
    new RegExp(`^install -m 600 /dev/null ${PATH}$`),
    ([path = ''], files) => {
      files.set(path, { content: Buffer.alloc(0), owner: 'root:root', mode: '600' });
      return ok();
    },
  ],
  [
    new RegExp(`^printf %s ([A-Za-z0-9+/=]*) \\| base64 -d >>${PATH}$`),
    ([base64 = '', path = ''], files, faults) => {
      if (faults.full()) return wrong(`sh: cannot write ${path}: No space left on device`);
      const file = files.get(path);
      if (file) file.content = Buffer.concat([file.content, Buffer.from(base64, 'base64')]);
      return ok();
    },
  ],
  [
    new RegExp(`^chown ([a-z_:0-9-]+) ${PATH}$`),
    ([owner = '', path = ''], files) => {
      const file = files.get(path);
      if (!file) return missing('chown', path);
      file.owner = owner.includes(':') ? owner : `${owner}:${file.owner.split(':')[1] ?? 'root'}`;
      return ok();
    },
  ],
  [
    new RegExp(`^chmod ([0-7]+) ${PATH}$`),
    ([mode = '', path = ''], files) => {
      const file = files.get(path);
      if (!file) return missing('chmod', path);
      file.mode = mode;
      return ok();
    },
  ],
  [
    new RegExp(`^mv -f ${PATH} ${PATH}$`),
    ([from = '', to = ''], files, faults) => {
      const file = files.get(from);
      if (!file) return missing('mv', from);
      files.delete(from);
      if (!faults.loses()) files.set(to, file);
      return ok();
    },
  ],
  [
    new RegExp(`^rm -f ${PATH}$`),
    ([path = ''], files) => {
      files.delete(path);
      return ok();
    },
  ],
];

function withFile(program: string, path: string, files: HostFiles, text: (file: HostFile) => string): Ended {
  const file = files.get(path);
  return file ? ok(text(file)) : missing(program, path);
}

/** In lines of 76 signs, as the program prints it. */
const wrapped = (content: Buffer): string =>
  (content.toString('base64').match(/.{1,76}/g) ?? []).map((line) => `${line}\n`).join('');

/** Undefined where the command is none of these. */
export function fileCommand(command: string, files: HostFiles, faults: FileFaults): Ended | undefined {
  for (const [form, run] of forms) {
    const found = form.exec(command);
    if (found) return run(found.slice(1), files, faults);
  }
  return undefined;
}
