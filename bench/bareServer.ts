/** What the database can do behind an HTTP server that does nothing else: the rows of an assignment, written by hand. */
import { createServer } from 'node:http';
import { createPool } from 'mariadb';

const [socketPath = '', user = '', password = '', database = ''] = process.argv.slice(2);
const pool = createPool({ socketPath, user, password, database, connectionLimit: 30, bigIntAsNumber: true });

/** One transaction behind the lock of the prefix' spaces; gives the address. */
async function assign(prefixId: number): Promise<string> {
  const connection = await pool.getConnection();
  try {
    await connection.beginTransaction();
    const spaces = await connection.query<{ id: number }[]>(
      'SELECT id, holds FROM space WHERE prefix_id = ? ORDER BY id FOR UPDATE',
      [prefixId],
    );
    const [span] = await connection.query<{ first: Buffer; last: Buffer }[]>(
      'SELECT first, last FROM free_span WHERE space_id = ? ORDER BY last LIMIT 1',
      [spaces[0]?.id],
    );
    if (!span) throw new Error('full');
    const next = Buffer.from(span.first);
    next.writeUInt32BE(next.readUInt32BE(12) + 1, 12);
    for (const space of spaces)
      await connection.query('UPDATE free_span SET first = ? WHERE space_id = ? AND last = ?', [
        next,
        space.id,
        span.last,
      ]);
    await connection.query('UPDATE space SET free = free - 1 WHERE id IN (?)', [spaces.map((space) => space.id)]);
    const key = span.first.subarray(12).join('.');
    const made = await connection.query<{ insertId: number }>(
      'INSERT INTO address (natural_key, sort_key, created_at, updated_at, address, address_family, vrf_id, prefix_id) VALUES (?, ?, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), ?, 4, 1, ?)',
      [key, key, span.first, prefixId],
    );
    const set = await connection.query<{ insertId: number }>(
      "INSERT INTO change_set (at, actor, via, action) VALUES (UTC_TIMESTAMP(3), 'bench', 'api', 'bench')",
    );
    const image = JSON.stringify({ address: key, vrf: 1, interface: null, description: null, note: null });
    await connection.query("INSERT INTO `change` VALUES (?, 1, 'address', ?, ?, NULL, 1, NULL, ?)", [
      set.insertId,
      made.insertId,
      key,
      image,
    ]);
    await connection.query(
      "INSERT INTO event (at, kind, record_id, version) VALUES (UTC_TIMESTAMP(3), 'address', ?, 1)",
      [made.insertId],
    );
    await connection.commit();
    return key;
  } finally {
    await connection.release();
  }
}

const server = createServer((request, response) => {
  let text = '';
  request.on('data', (chunk: Buffer) => (text += chunk.toString()));
  request.on('end', () => {
    assign((JSON.parse(text) as { prefix: number }).prefix).then(
      (address) => {
        response.writeHead(201, { 'Content-Type': 'application/json' }).end(JSON.stringify({ address }));
      },
      (error: unknown) => response.writeHead(500).end(String(error)),
    );
  });
});
server.listen(0, '127.0.0.1', () => {
  const address = server.address();
  if (typeof address === 'object' && address) process.send?.(`http://127.0.0.1:${address.port}`);
});
process.on('disconnect', () => process.exit(0));
