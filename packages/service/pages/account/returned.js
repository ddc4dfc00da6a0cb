// Where a browser ends after an identity provider, if the game has no page of its own for it.
const code = decodeURIComponent(location.hash.slice(1));
const refused = new URLSearchParams(location.search).get('refused');

const reasons = {
  'identity-refused': 'You were not signed in there: begin again in the game, and say yes.',
  'identity-provider-fails': 'The page on which you signed in does not answer as it must: try again soon.',
  'identity-provider-unknown': 'This game does not know that page any more: sign in another way.',
  'link-over': 'This sign-in is over, or was used already: begin it again in the game.',
  'too-many-requests': 'There were too many tries: wait a while, and begin again in the game.',
};

if (refused !== null || code === '') {
  document.getElementById('title').textContent = 'You are not signed in';
  document.getElementById('how').textContent =
    reasons[refused ?? 'link-over'] ?? 'Something went wrong: begin again in the game.';
  document.getElementById('caution').hidden = true;
} else {
  document.getElementById('code').textContent = code;
}
