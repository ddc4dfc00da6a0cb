// An account, for whoever wants to find their flights on another device too. Nobody needs one to fly.
const $ = (id) => document.getElementById(id);
let isOffered = false;
/** What was brought back from an identity provider. */
let comesWith;

/** @param again is called when the device plays as somebody else */
export function offerAccount(player, again) {
  show(player);
  if (isOffered) return;
  isOffered = true;
  $('account').onclick = () => {
    tell('');
    $('whose-flights').hidden = true;
    comesWith = undefined;
    $('signing').showModal();
    offerProviders(player).catch((error) => tell(error.message));
  };
  $('register').onclick = () =>
    trying(player, async (email, password) => {
      await player.account.register(email, password);
      tell('You have an account: your flights are yours on every device. A mail confirms the address.');
    });
  $('sign-in').onclick = () => enter(player, again, (email, password) => asked(player, email, password));
  for (const choose of ['account', 'device', 'both']) {
    $(`keep-${choose}`).onclick = () =>
      enter(player, again, (email, password) => asked(player, email, password, choose));
  }
  $('forgotten').onclick = () =>
    trying(player, async (email) => {
      await player.account.forgotPassword(email);
      tell('If this address has an account, a mail is on its way.');
    });
  $('sign-out').onclick = () =>
    trying(player, async () => {
      await player.account.signOut();
      $('signing').close();
      await again();
    });
  void comeBack(player, again);
}

async function enter(player, again, signIn) {
  await trying(player, async (email, password) => {
    const both = await signIn(email, password);
    $('whose-flights').hidden = both === undefined;
    if (both === undefined) return $('signing').close();
    const flown = ({ records }) => `${records['progress/landings']?.value ?? 0} landings`;
    $('of-account').textContent = flown(both.account);
    $('of-device').textContent = flown(both.device);
    tell('');
  });
  if ($('whose-flights').hidden) comesWith = undefined;
  await again();
}

/** Signs in with what an identity provider has said of the player, or with what they have typed. */
function asked({ account }, email, password, choose) {
  if (comesWith !== undefined) return account.finishSignIn(comesWith, { choose });
  return account.signIn(email, password, { choose });
}

/** A button for each identity provider: to sign in with it, or to link it to the account. */
async function offerProviders(player) {
  const { account } = player;
  const linked = account.email === undefined ? [] : (await account.details()).identities.map((one) => one.provider);
  const offered = (await account.providers()).filter(({ name }) => !linked.includes(name));
  const buttons = offered.map(({ name, title }) => {
    const button = Object.assign(document.createElement('button'), { type: 'button' });
    button.textContent = account.email === undefined ? `Sign in with ${title}` : `Link ${title}`;
    button.onclick = () =>
      trying(player, async () => {
        const here = location.origin + location.pathname;
        const begin = account.email === undefined ? account.signInWith(name, here) : account.link(name, here);
        location.assign(await begin);
      });
    return button;
  });
  $('providers').replaceChildren(...buttons);
}

/** The browser has come back from an identity provider. */
async function comeBack(player, again) {
  const query = new URLSearchParams(location.search);
  const [code, refused] = [query.get('vekkon-code'), query.get('vekkon-refused')];
  if (code === null && refused === null) return;
  history.replaceState(null, '', location.pathname);
  $('signing').showModal();
  if (refused !== null) return tell('You are not signed in: begin again, and say yes there.');
  comesWith = code;
  await enter(player, again, () => asked(player));
}

async function trying(player, work) {
  tell('One moment …');
  try {
    await work($('email').value.trim(), $('password').value);
  } catch (error) {
    tell(error.message);
  }
  show(player);
}

function show({ account: { email } }) {
  if (email !== undefined) $('password').value = '';
  $('account').textContent = email === undefined ? 'Account …' : email || 'Your account';
  $('signed-out').hidden = email !== undefined;
  $('signed-in').hidden = email === undefined;
  $('who').textContent = email || 'a pilot without an address';
}

function tell(text) {
  $('told').textContent = text;
}
