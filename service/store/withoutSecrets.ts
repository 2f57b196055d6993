/** What a unit of work ended with, without what was unsealed in it: refusals go to people, faults into the log. */
import { Masker, textsOf } from '@zpine/core/secrets/masking';
import { Refusal, type Faults } from '@zpine/contract/errors';

/** What is longer is a text with secrets in it, and masked where it is made. */
const LONGEST = 4096;

/** The secret texts in something that was under seal: a value of a setting, or the secrets of an errand. */
function secretsOf(unsealed: string): string[] {
  if (unsealed.length > LONGEST) return [];
  let value: unknown;
  try {
    value = JSON.parse(unsealed);
  } catch {
    return [unsealed];
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return textsOf(value);
  const { secrets } = value as { secrets?: unknown };
  if (secrets !== undefined) return textsOf(secrets);
  return Object.values(value).every((held) => typeof held === 'string') ? textsOf(value) : [];
}

export function withoutSecrets(error: unknown, unsealed: readonly string[]): unknown {
  if (unsealed.length === 0) return error;
  const masker = new Masker(new Set(unsealed.flatMap(secretsOf)));
  if (masker.empty) return error;
  if (error instanceof Refusal) {
    const faults: Faults = error.faults.map((fault) => masker.maskAll({ ...fault }));
    if (error.beyond > 0) faults.beyond = error.beyond;
    return new Refusal(error.code, masker.maskAll(error.params), faults, masker.maskAll(error.extra));
  }
  if (error instanceof Error) {
    error.message = masker.mask(error.message);
    if (error.stack !== undefined) error.stack = masker.mask(error.stack);
    for (const name of ['sql', 'sqlMessage', 'text'] as const) {
      const held = (error as unknown as Record<string, unknown>)[name];
      // Some of them are worked out from the message, by errors of the driver.
      if (typeof held === 'string')
        Object.defineProperty(error, name, { value: masker.mask(held), configurable: true, writable: true });
    }
  }
  return error;
}
