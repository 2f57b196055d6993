/** What is different about one device, before and after: lines of its configuration by part, boot answers, troubles. */
import { createHash } from 'node:crypto';
import { faultText, TemplateStop } from '@zpine/core/template/faults';
import type { DeviceDiff } from '@zpine/contract/impactShapes';
import { renderWith, type Files } from '../editions/content.ts';
import { linesOf, partsOf, sameLines } from '../editions/fileDiff.ts';
import { lockoutFaults } from '../editions/lockout.ts';
import type { DeviceState } from './state.ts';

/** Two states in which nothing that counts is different. */
export const alike = (before: DeviceState | undefined, after: DeviceState | undefined): boolean =>
  before?.digest === after?.digest && before?.why === after?.why && sameLines(before?.boot, after?.boot);

/** Null where, for all that went into it, the texts are the same. */
export function differenceOf(
  before: DeviceState | undefined,
  after: DeviceState | undefined,
  digest: (text: string) => string,
): DeviceDiff | null {
  const [was, is] = [rendered(before, digest), rendered(after, digest)];
  const diff: DeviceDiff = {
    is: before ? (after ? 'changed' : 'gone') : 'new',
    parts: is.files && (was.files || !before) ? partsOf(was.files ?? [], is.files) : [],
    boot: sameLines(before?.boot, after?.boot) ? null : linesOf(before?.boot ?? [], after?.boot ?? []),
    troubles: is.troubles.filter((trouble) => !was.troubles.includes(trouble)),
    mended: before && after ? was.troubles.filter((trouble) => !is.troubles.includes(trouble)) : [],
  };
  const nothing = diff.parts.length + diff.troubles.length + diff.mended.length === 0 && diff.boot === null;
  return nothing && diff.is === 'changed' ? null : diff;
}

interface Rendered {
  files: Files | null;
  troubles: string[];
}

function rendered(state: DeviceState | undefined, digest: (text: string) => string): Rendered {
  if (!state) return { files: null, troubles: [] };
  if (!state.inputs) return { files: null, troubles: [state.why ?? 'no template'] };
  // Five thousand rounds each would be for nothing: what is masked has only to differ when the password does.
  const crypt = (password: string): string => `$6$impact$${sealOf(digest, String(state.context.device.id), password)}`;
  try {
    const files = renderWith(state.inputs, crypt);
    const opens = (password: string, sealed: string): boolean => sealed === crypt(password);
    const faults = lockoutFaults(state.context, files, opens);
    return { files, troubles: faults.map((fault) => `the service would not get in: ${fault.detail}`) };
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    return { files: null, troubles: [`the template stops: ${faultText(error.fault)}`] };
  }
}

const sealOf = (digest: (text: string) => string, device: string, password: string): string =>
  createHash('sha512')
    .update(digest(`${device} ${password}`))
    .digest('base64')
    .replace(/[+/=]/g, '.')
    .slice(0, 86);
