import { speakerOf, type Key } from '$lib/core/portal/say';

/** What the portal says of a passkey, as the console says it. */
export const said = (key: Key): string => speakerOf('en')(key);
