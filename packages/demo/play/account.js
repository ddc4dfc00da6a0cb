// An account, for whoever wants to find their flights on another device too. Nobody needs one to fly.
const $ = (id) => document.getElementById(id);
let isOffered = false;

/** @param again is called when the device plays as somebody else */
export function offerAccount(player, again) {
  show(player);
  if (isOffered) return;
  isOffered = true;
  $('account').onclick = () => {
    tell('');
    $('whose-flights').hidden = true;
    $('signing').showModal();
  };
  $('register').onclick = () =>
    trying(player, async (email, password) => {
      await player.account.register(email, password);
      tell('You have an account: your flights are yours on every device. A mail confirms the address.');
    });
  $('sign-in').onclick = () => signIn(player, again);
  for (const choose of ['account', 'device', 'both']) {
    $(`keep-${choose}`).onclick = () => signIn(player, again, choose);
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
}

async function signIn(player, again, choose) {
  await trying(player, async (email, password) => {
    const both = await player.account.signIn(email, password, { choose });
    $('whose-flights').hidden = both === undefined;
    if (both === undefined) return $('signing').close();
    const flown = ({ records }) => `${records['progress/landings']?.value ?? 0} landings`;
    $('of-account').textContent = flown(both.account);
    $('of-device').textContent = flown(both.device);
    tell('');
  });
  await again();
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
  $('account').textContent = email ?? 'Account …';
  $('signed-out').hidden = email !== undefined;
  $('signed-in').hidden = email === undefined;
  $('who').textContent = email ?? '';
}

function tell(text) {
  $('told').textContent = text;
}
