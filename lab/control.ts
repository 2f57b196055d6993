/** The lab's own small API on loopback: power, memory, faults, plugs. */
import { Hono } from 'hono';
import { z } from 'zod';
import { faults, isFault } from './faults.ts';
import { type Lab, LabFault, type DeviceInput } from './lab.ts';
import type { Mailbox } from './mail.ts';

const named = z.object({ add: z.array(z.string()).default([]), remove: z.array(z.string()).default([]) });
const plug = z.object({ relay: z.ipv4(), circuit: z.string().optional() });

export function labControl(lab: Lab, mail: Mailbox): Hono {
  const app = new Hono();
  app.onError((error, c) => {
    const known = error instanceof LabFault || error instanceof z.ZodError;
    return c.json({ detail: error instanceof z.ZodError ? z.prettifyError(error) : error.message }, known ? 422 : 500);
  });
  // Whatever is done to a box that was made here is kept with it.
  app.use('/devices/*', async (c, next) => {
    await next();
    if (c.req.method === 'POST') lab.keepBoxes();
  });
  app.use('/devices', async (c, next) => {
    await next();
    if (c.req.method === 'POST') lab.keepBoxes();
  });
  app.get('/faults', (c) => c.json(faults));
  app.get('/letters', (c) => c.json(mail.letters));
  app.get('/devices', (c) => c.json(lab.names().map((name) => lab.state(name))));
  app.get('/devices/:name', (c) => c.json(lab.state(c.req.param('name'))));
  app.get('/devices/:name/running', (c) => c.text(lab.device(c.req.param('name')).print()));
  app.post('/devices', async (c) => {
    const input = await c.req.json<DeviceInput>();
    lab.add(input, true);
    return c.json(lab.state(input.name), 201);
  });
  app.post('/devices/:name/on', (c) => {
    lab.device(c.req.param('name')).on();
    return c.json(lab.state(c.req.param('name')));
  });
  app.post('/devices/:name/off', async (c) => {
    await lab.device(c.req.param('name')).off();
    return c.json(lab.state(c.req.param('name')));
  });
  app.post('/devices/:name/erase', (c) => {
    lab.device(c.req.param('name')).erase();
    return c.json(lab.state(c.req.param('name')));
  });
  app.post('/devices/:name/plug', async (c) => {
    const { relay, circuit } = plug.parse(await c.req.json());
    lab.replug(c.req.param('name'), relay, circuit);
    return c.json(lab.state(c.req.param('name')));
  });
  app.post('/devices/:name/faults', async (c) => {
    const { add, remove } = named.parse(await c.req.json());
    const held = lab.device(c.req.param('name')).options.faults;
    const unknown = [...add, ...remove].filter((word) => !isFault(word));
    if (unknown.length > 0)
      throw new LabFault(`there is no fault ${unknown.join(', ')}; there are ${Object.keys(faults).join(', ')}`);
    for (const word of add) if (isFault(word)) held.add(word);
    for (const word of remove) if (isFault(word)) held.delete(word);
    return c.json(lab.state(c.req.param('name')));
  });
  return app;
}
