import type { Channel } from '../access/decide';
import { sizeWords } from '../time/units';

/**
 * What passes between a session and the device in front of somebody, by the way that it goes: a grant gives channels, and access rules say which way
 * and how much at once.
 */
export const PASSAGES = [
	'clipboard-in',
	'clipboard-out',
	'drives-in',
	'drives-out',
	'printers',
	'cameras',
	'microphones',
	'downloads'
] as const;
export type Passage = (typeof PASSAGES)[number];

/** What a rule may name: one way of a channel, or both ways of those that have two. */
export const CHANNEL_NAMES = [...PASSAGES, 'clipboard', 'drives'] as const;
export type ChannelName = (typeof CHANNEL_NAMES)[number];

interface Way {
	channel: Channel;
	/** Whether what passes has a size that counts, and whether it goes into the session. */
	sized: boolean;
	into: boolean;
	words: string;
}
const WAYS: Record<Passage, Way> = {
	'clipboard-in': { channel: 'clipboard', sized: true, into: true, words: 'clipboard into the session' },
	'clipboard-out': { channel: 'clipboard', sized: true, into: false, words: 'clipboard out of the session' },
	'drives-in': { channel: 'drives', sized: true, into: true, words: 'files into the session' },
	'drives-out': { channel: 'drives', sized: true, into: false, words: 'files out of the session' },
	printers: { channel: 'printers', sized: false, into: false, words: 'printing' },
	cameras: { channel: 'cameras', sized: false, into: true, words: 'cameras' },
	microphones: { channel: 'microphones', sized: false, into: true, words: 'microphones' },
	downloads: { channel: 'downloads', sized: true, into: false, words: 'downloads' }
};

/** The channel of a grant that something passes by. */
export const channelOf = (passage: Passage): Channel => WAYS[passage].channel;

/** Whether something goes into the session, rather than out of it. */
export const intoIt = (passage: Passage): boolean => WAYS[passage].into;

/** The ways that a name stands for. */
export const passagesOf = (name: ChannelName): readonly Passage[] =>
	name === 'clipboard' || name === 'drives' ? PASSAGES.filter((p) => WAYS[p].channel === name) : [name];

/** Whether a rule may say how much of it passes at once. */
export const isSized = (name: ChannelName): boolean => passagesOf(name).every((p) => WAYS[p].sized);

export const isPassage = (text: string): text is Passage => PASSAGES.some((p) => p === text);
export const isChannelName = (text: string): text is ChannelName => CHANNEL_NAMES.some((c) => c === text);

/** `clipboard out of the session`; with a bound, `… up to 2 KB`. */
export function channelWords(name: ChannelName, upTo: number | null = null): string {
	const words = name === 'clipboard' ? 'the clipboard' : name === 'drives' ? 'files of drives' : WAYS[name].words;
	return upTo === null ? words : `${words} up to ${sizeWords(upTo)}`;
}
