/** What answers the calls of this area. */
import { plugs, trace } from '../cables/shown.ts';
import { copySite } from '../places/copySite.ts';
import { align, differing } from './differing.ts';
import { readSheets, writeSheet } from './sheets.ts';
import { declareFound, enterFound, hardware } from './slots.ts';
import { refOf, type VerbHandlers } from '../handler.ts';

export const hardwareHandlers = {
  'device.hardware': (tx, call) => hardware(tx, refOf(call)),
  'device.found': (tx, call) => enterFound(tx, refOf(call), call.body, call.user),
  'device.declareFound': (tx, call) => declareFound(tx, refOf(call)),
  'model.differing': (tx, call) => differing(tx, refOf(call)),
  'model.align': (tx, call) => align(tx, refOf(call), call.body),
  'sheet.read': (tx, { body }) => readSheets(tx, body),
  'sheet.write': (tx, call) => writeSheet(tx, refOf(call), call.query),
  'port.trace': (tx, call) => trace(tx, refOf(call)),
  'cable.plugs': (tx, { query }) => plugs(tx, query),
  'site.copy': (tx, call) => copySite(tx, refOf(call), call.body),
} satisfies Partial<VerbHandlers>;
