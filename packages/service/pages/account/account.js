// What the links in mails lead to: their token stands behind "#", and is sent once, when somebody says so.
const token = location.hash.slice(1);
const does = document.body.dataset.does;
const form = document.querySelector('form');
const said = document.getElementById('said');

function say(text, isWrong = false) {
  said.textContent = text;
  said.classList.toggle('wrong', isWrong);
}

if (token === '') {
  form.hidden = true;
  say('This link was not copied whole: open it from the mail once more.', true);
}

form.addEventListener('submit', async (event) => {
  event.preventDefault();
  const password = document.getElementById('password')?.value;
  const body = does === 'reset' ? { token, password } : { token };
  try {
    const answer = await fetch(`/v1/account/${does}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify(body),
    });
    const told = await answer.json();
    if (!answer.ok) return say(told.detail, true);
    form.hidden = true;
    say(
      does === 'reset'
        ? 'Your password is set, and every device was signed out: sign in with it in the game.'
        : `${told.email} is the address of your account now.`,
    );
  } catch {
    say('The service can’t be reached now: try again soon.', true);
  }
});
