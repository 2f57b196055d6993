/** A stand-in for a mail server: takes letters by SMTP (RFC 5321), and keeps the last of them. */
import type { AddressInfo } from 'node:net';
import { SMTPServer } from 'smtp-server';

export interface Letter {
  from: string;
  to: string[];
  subject: string;
  text: string;
}

const MOST = 200;

export class Mailbox {
  readonly letters: Letter[] = [];
  /** Says so to everybody who brings a letter, when set. */
  refuses: string | undefined;
  private readonly server: SMTPServer;

  constructor() {
    this.server = new SMTPServer({
      disabledCommands: ['AUTH', 'STARTTLS'],
      logger: false,
      onData: (stream, session, done) => {
        const chunks: Buffer[] = [];
        stream.on('data', (chunk: Buffer) => chunks.push(chunk));
        stream.on('end', () => {
          if (this.refuses !== undefined) return done(Object.assign(new Error(this.refuses), { responseCode: 451 }));
          const whole = Buffer.concat(chunks).toString('utf8').replaceAll('\r\n', '\n');
          const end = whole.indexOf('\n\n');
          const { mailFrom, rcptTo } = session.envelope;
          this.letters.push({
            from: mailFrom === false ? '' : mailFrom.address,
            to: rcptTo.map((one) => one.address),
            subject: /^Subject: (.*)$/im.exec(whole.slice(0, end))?.[1] ?? '',
            text: whole.slice(end + 2).trim(),
          });
          if (this.letters.length > MOST) this.letters.shift();
          done();
        });
      },
    });
    this.server.on('error', () => undefined);
  }

  open(port = 0, address = '127.0.0.1'): Promise<number> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject);
      const server = this.server.listen(port, address, () => resolve((server.address() as AddressInfo).port));
    });
  }

  close(): Promise<void> {
    return new Promise((resolve) => void this.server.close(() => resolve()));
  }
}
