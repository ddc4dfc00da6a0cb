import { expect } from 'chai';
import { ServiceUnreachable, type ServiceRefused, type SessionOver } from '@vekkon/client/player';
import { Device, DeviceWorld } from './world/device.js';
import { failure } from './world/failure.js';

const password = 'a-warm-thermal';
let many = 0;
const address = () => `pilot-${++many}@highfell.example`;

describe('an account of a game on a device', () => {
  let at: DeviceWorld;
  before(async () => {
    at = await DeviceWorld.start();
  });
  beforeEach(() => at.begin());
  after(() => at.close());

  /** A tab of another device. */
  async function elsewhere() {
    const player = new Device().open(at.world, 'tab-1');
    await player.start();
    return player;
  }

  it('is made while the game is played, which goes on in its session with all it has', async () => {
    const player = await at.started();
    const { session } = player;
    void player.increase('landings', 3);
    const email = address();
    await player.account.register(email, password);
    void player.increase('landings', 4);
    await player.save();
    expect([player.session, player.account.email, player.value('landings')]).to.deep.equal([session, email, 7]);
    await player.leave();
    // Loaded again, it is simply in.
    const again = await at.started('tab-1');
    expect([again.player?.id, again.value('landings'), again.account.email]).to.deep.equal([
      player.player?.id,
      7,
      email,
    ]);
    expect((await again.account.details()).signIns).to.have.lengthOf(1);
  });

  it('is signed in to on another device, which plays on with what the account has', async () => {
    const player = await at.started();
    void player.increase('landings', 5);
    const email = address();
    await player.account.register(email, password);
    await player.leave();
    const other = await elsewhere();
    expect(await other.account.signIn(email, password)).to.equal(undefined);
    expect([other.player?.id, other.value('landings'), other.status.connection]).to.deep.equal([
      player.player?.id,
      5,
      'online',
    ]);
    await other.account.signOut();
    expect([other.account.email, other.status.connection]).to.deep.equal([undefined, 'left']);
    await other.start();
    expect([other.player?.id === player.player?.id, other.value('landings')]).to.deep.equal([false, 0]);
    await other.leave();
  });

  it('asks whose progress it is where both have some, and plays on as before until it is told', async () => {
    const player = await at.started();
    void player.increase('landings', 5);
    const email = address();
    await player.account.register(email, password);
    await player.leave();
    const other = await elsewhere();
    void other.increase('landings', 2);
    const before = other.player?.id;
    const asked = await other.account.signIn(email, password);
    expect(asked?.device.records['progress/landings']?.value).to.equal(2);
    expect(asked?.account.records['progress/landings']?.value).to.equal(5);
    expect([other.player?.id, other.value('landings'), other.status.connection]).to.deep.equal([before, 2, 'online']);
    expect(await other.account.signIn(email, password, { choose: 'device' })).to.equal(undefined);
    expect([other.player?.id, other.value('landings')]).to.deep.equal([player.player?.id, 2]);
    await other.leave();
  });

  it('refuses a wrong password, and the game goes on as it was', async () => {
    const player = await at.started();
    void player.increase('landings', 1);
    const wrong = (await failure(player.account.signIn('nobody@highfell.example', password))) as ServiceRefused;
    expect(wrong.code).to.equal('account-refused');
    expect([player.status.connection, player.value('landings')]).to.deep.equal(['online', 1]);
    const short = (await failure(player.account.register(address(), 'short'))) as ServiceRefused;
    expect([short.code, short.message]).to.deep.equal([
      'password-refused',
      'A password has at least 8 characters: this one has 5.',
    ]);
  });

  it('needs the service: without it the game plays on, and nothing of it is lost', async () => {
    const player = await at.started();
    await at.goneOffline(player);
    void player.increase('landings', 8);
    expect(await failure(player.account.signIn(address(), password))).to.be.instanceOf(ServiceUnreachable);
    expect([player.status.connection, player.value('landings')]).to.deep.equal(['offline', 8]);
    at.reachable();
    await player.start();
    await player.leave().catch(() => undefined);
    const again = await at.started('tab-1');
    expect(again.value('landings')).to.equal(8);
  });

  it('that is signed out from elsewhere ends the stay, and says why', async () => {
    const player = await at.started();
    const email = address();
    await player.account.register(email, password);
    await player.save();
    const lost = new Promise<SessionOver>((resolve) => player.onLost(resolve));
    await at.world.operator.accounts.signOut(player.player!.id);
    void player.increase('landings', 1);
    await player.save().catch(() => undefined);
    expect((await lost).message).to.include('Sign in again');
    const wrong = (await failure(player.account.signIn(email, 'a-wrong-thermal'))) as ServiceRefused;
    expect(wrong.code).to.equal('account-refused');
    await player.account.signIn(email, password);
    expect([player.account.email, player.status.connection]).to.deep.equal([email, 'online']);
    // What was done when it had ended already is not lost either: a person decides over what came too late.
    expect(player.pending).to.equal(0);
    await player.leave();
  });
});
