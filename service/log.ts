import { pino, type Logger } from 'pino';
import pretty from 'pino-pretty';
import type { Config } from './config.ts';

export function logFor(config: Pick<Config, 'logLevel' | 'logPretty'>): Logger {
  const options = {
    level: config.logLevel,
    base: null,
    redact: ['req.headers.authorization', 'req.headers.cookie'],
  };
  return config.logPretty
    ? pino(options, pretty({ translateTime: 'HH:MM:ss', ignore: 'pid,hostname', sync: true }))
    : pino(options);
}
