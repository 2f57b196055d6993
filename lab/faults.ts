/** What can be wrong with a simulated device, by the word that switches it on. */
export const faults = {
  deaf: 'sends no packet at all',
  stored: 'holds a configuration of its own, and so does not boot from the network',
  'ignores-file': 'takes its address, and never asks for its file',
  'wrong-file': 'asks for a file that it was not told of',
  truncated: 'loses the link in the middle of its file',
  'rejects-line': 'turns down the first line of every socket',
  'drops-line': 'takes a line without a word, and does nothing about it',
  silent: 'does not call home',
  mute: 'opens no SSH, and does not call home',
  'other-password': 'has an account that knows another password',
  forgets: 'does not keep its configuration by itself',
  'no-room': 'cannot keep anything',
  'old-algorithms': 'offers SSH algorithms of long ago only',
  'other-key': 'shows another host key than before',
  'no-prompt': 'lets one in, and never shows a prompt',
  floods: 'answers to everything with fifty megabytes',
  'goes-away': 'ends the session in the middle of what it runs',
  unplugged: 'has lost the cable of the first port that heard something',
  'own-spelling': 'writes its configuration in another order, in small letters, and without what is so anyway',
  'hides-secrets': 'shows stars in place of its secrets',
  'cut-off': 'ends the session at the third line of a change',
  'restarts-midway': 'restarts at the third line of a change',
  'other-prompt': 'shows another prompt after a change',
  'shuts-door': 'lets nobody in any more once it was changed',
  'dark-port': 'leaves its ports dark once it was changed, whatever its lines say',
  'starts-late': 'turns down lines of its sockets at first: the card that they are on is starting',
  'lane-nowhere': 'has no link on a face whose lane is on no live port',
  slow: 'takes four times as long for everything',
} as const;

export type Fault = keyof typeof faults;
export const isFault = (word: string): word is Fault => Object.hasOwn(faults, word);
