/** The page around a sealed sheet. It loads nothing; WebCrypto opens what is in it, and every text goes in as text. */
export interface Sealed {
  rounds: number;
  /** Base64. */
  salt: string;
  nonce: string;
  /** What AES-256-GCM made of it, with the tag of 16 bytes behind it, as WebCrypto takes it. */
  data: string;
}

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

const script = `
const bytes = (text) => Uint8Array.from(atob(text), (one) => one.charCodeAt(0));
const add = (to, name, text, kind) => {
  const made = document.createElement(name);
  if (text !== undefined) made.textContent = text;
  if (kind) made.className = kind;
  to.append(made);
  return made;
};
async function opened(passphrase) {
  const from = await crypto.subtle.importKey('raw', new TextEncoder().encode(passphrase.normalize('NFC')), 'PBKDF2', false, ['deriveKey']);
  const how = { name: 'PBKDF2', salt: bytes(sealed.salt), iterations: sealed.rounds, hash: 'SHA-256' };
  const key = await crypto.subtle.deriveKey(how, from, { name: 'AES-GCM', length: 256 }, false, ['decrypt']);
  const clear = await crypto.subtle.decrypt({ name: 'AES-GCM', iv: bytes(sealed.nonce) }, key, bytes(sealed.data));
  return JSON.parse(new TextDecoder().decode(clear));
}
function show({ sheets }) {
  const at = document.querySelector('main');
  for (const sheet of sheets) {
    const one = add(at, 'article');
    add(one, 'h2', sheet.device);
    add(one, 'p', sheet.place);
    const facts = add(one, 'table');
    for (const [name, value] of sheet.facts) {
      const row = add(facts, 'tr');
      add(row, 'th', name);
      add(row, 'td', value);
    }
    if (sheet.cables.length > 0) {
      add(one, 'h3', 'Cables');
      const table = add(one, 'table');
      for (const cable of sheet.cables) {
        const row = add(table, 'tr');
        for (const cell of [cable.port, cable.marking, cable.colour, cable.leadsTo]) add(row, 'td', cell);
      }
    }
    for (const file of sheet.files) {
      add(one, 'h3', file.name === '' ? 'Its whole configuration' : file.name);
      add(one, 'pre', file.text);
    }
  }
}
document.querySelector('form').addEventListener('submit', async (event) => {
  event.preventDefault();
  const fault = document.querySelector('[role=alert]');
  fault.textContent = '';
  try {
    const held = await opened(document.querySelector('input').value);
    document.querySelector('form').remove();
    show(held);
  } catch {
    fault.textContent = 'That passphrase does not open it.';
  }
});
`;

const style = `
body { font: 15px/1.45 system-ui, sans-serif; margin: 24px; color: #000; background: #fff; }
pre, td { font-family: ui-monospace, monospace; }
pre { white-space: pre-wrap; border: 1px solid #bbb; padding: 10px; }
th { text-align: left; padding: 3px 16px 3px 0; font-weight: 600; }
td { padding: 3px 16px 3px 0; }
article { break-after: page; }
@media print { form { display: none; } }
`;

export const emergencyPage = (title: string, made: string, sealed: Sealed): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'">
<title>Emergency sheet: ${escaped(title)}</title>
<style>${style}</style>
</head>
<body>
<h1>Emergency sheet: ${escaped(title)}</h1>
<p>Made ${escaped(made.slice(0, 16).replace('T', ' '))} UTC. It holds secrets, sealed with a passphrase; it needs no network.</p>
<form><label>Passphrase <input type="password" autofocus></label> <button>Open</button> <span role="alert"></span></form>
<main></main>
<script>
const sealed = ${JSON.stringify(sealed)};
${script}
</script>
</body>
</html>
`;
