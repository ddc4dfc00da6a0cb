import { once } from 'node:events';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { expect } from 'chai';
import { World } from './world/world.js';

/** Takes mail as a mail server does (RFC 5321), or listens and says nothing. */
class MailServer {
  readonly taken: string[] = [];
  readonly #server: Server;
  readonly #sockets = new Set<Socket>();
  #tell: () => void = () => undefined;

  constructor(isSilent: boolean) {
    this.#server = createServer((socket) => {
      this.#sockets.add(socket);
      socket.on('error', () => undefined);
      if (isSilent) return;
      let [text, isContent] = ['', false];
      const say = (line: string) => socket.write(`${line}\r\n`);
      say('220 mail.highfell.example');
      socket.on('data', (some) => {
        text += String(some);
        if (isContent && !text.endsWith('\r\n.\r\n')) return;
        if (!isContent && !text.endsWith('\r\n')) return;
        const [said, wasContent] = [text, isContent];
        [text, isContent] = ['', !wasContent && /^DATA/i.test(said)];
        if (wasContent) {
          this.taken.push(said);
          this.#tell();
        }
        say(isContent ? '354 go on' : /^QUIT/i.test(said) ? '221 bye' : '250 well');
      });
    });
  }

  async start(): Promise<string> {
    this.#server.listen(0, '127.0.0.1');
    await once(this.#server, 'listening');
    return `smtp://127.0.0.1:${(this.#server.address() as AddressInfo).port}`;
  }

  /** Resolves when the next mail has been taken. */
  next(): Promise<void> {
    return new Promise((resolve) => (this.#tell = resolve));
  }

  close(): void {
    for (const socket of this.#sockets) socket.destroy();
    this.#server.close();
  }
}

async function makeAccount(world: World): Promise<number> {
  const as = (token: string) => ({ Authorization: `Bearer ${token}` });
  const secret = 'a-device-of-highfell-gliders-000001';
  const { body } = await world.call('POST', '/v1/devices', { secret }, as(world.deviceKey));
  const account = { email: 'maren@highfell.example', password: 'a-warm-thermal' };
  return (await world.call('POST', '/v1/account', account, as((body as { token: string }).token))).status;
}

describe('mail', () => {
  it('goes out by the mail server that is set up, with links to where the service is met from outside', async () => {
    const server = new MailServer(false);
    const mail = { smtp: await server.start(), from: 'Highfell Gliders <no-reply@highfell.example>' };
    const world = await World.start({ service: { mail, publicUrl: 'https://save.highfell.example' } });
    try {
      const taken = server.next();
      expect(await makeAccount(world)).to.equal(201);
      await taken;
      const [sent] = server.taken;
      expect(sent).to.include('To: maren@highfell.example');
      expect(sent).to.include('From: Highfell Gliders <no-reply@highfell.example>');
      expect(sent!.replaceAll('=\r\n', '')).to.include('https://save.highfell.example/account/confirm#vkl_');
      expect((await world.operator.accounts.mails()).mails).to.deep.equal([]);
    } finally {
      await world.close();
      server.close();
    }
  });

  it('that a server does not take holds up no answer, and no stop', async () => {
    const server = new MailServer(true);
    const world = await World.start({ service: { mail: { smtp: await server.start() } } });
    try {
      expect(await makeAccount(world)).to.equal(201);
    } finally {
      // The test's own time is the end of it: a server that says nothing is given up after half a minute.
      await world.close();
      server.close();
    }
  }).timeout(15_000);
});
