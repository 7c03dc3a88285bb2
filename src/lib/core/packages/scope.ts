import type { Explained, Fact } from '../why/explained';
import type { SystemKind } from './inventory';
import { systemFolders } from './system-folders';

/** Where a packaged app may write: its own overlay, the person's folders as well, or anywhere but the system. */
export const WRITE_SCOPES = ['overlay', 'person', 'anywhere'] as const;
export type WriteScope = (typeof WRITE_SCOPES)[number];

export const WRITE_SCOPE_WORDS: Record<WriteScope, string> = {
	overlay: 'its own overlay only',
	person: 'its own overlay and the person’s folders',
	anywhere: 'anywhere but the system'
};

export interface WriteRules {
	usual: WriteScope;
	/** Branches that differ, by their paths; the longest that holds a path counts. Settings begin with `settings:/`. */
	branches: { branch: string; scope: WriteScope }[];
	overlay: {
		/** On the machine's own disk, or on the person's profile disk. */
		lives: 'machine' | 'profile disk';
		/** Whether it is still there at the next session. */
		outlasts: boolean;
	};
}

export const USUAL_WRITES: WriteRules = {
	usual: 'person',
	branches: [],
	overlay: { lives: 'profile disk', outlasts: true }
};

/** Where one write goes. */
export interface Landing {
	to: 'overlay' | 'place' | 'refused';
	/** The path that it really lands at; null when it is refused. */
	path: string | null;
}

const PERSON = /^([a-z]:\/users\/[^/]+|home\/[^/]+|root|settings:\/person)(\/|$)/i;
/** Of the system as well, though programs have folders of their own there. */
const SHARED = /^(usr|settings:\/machine\/(system|hardware|security))(\/|$)/i;

function withoutSlashes(path: string): string {
	let [from, to] = [0, path.length];
	while (path[from] === '/') from++;
	while (to > from && path[to - 1] === '/') to--;
	return path.slice(from, to);
}

/** Where a write of the app to a path goes, and by which rule. `system`: the one that it runs on. */
export function whereWrites(path: string, rules: WriteRules, system: SystemKind | null = null): Explained<Landing> {
	const plain = withoutSlashes(path.trim().replaceAll('\\', '/'));
	const lower = plain.toLowerCase();
	const own = rules.branches
		.filter(({ branch }) => lower === branch.toLowerCase() || lower.startsWith(`${branch.toLowerCase()}/`))
		.sort((a, b) => b.branch.length - a.branch.length)[0];
	const scope = own?.scope ?? rules.usual;
	const facts: Fact[] = [
		own
			? { words: `the branch ${own.branch} has a rule of its own: ${WRITE_SCOPE_WORDS[scope]}`, source: 'write scope' }
			: {
					words: `no branch of its own holds it; the package may write to ${WRITE_SCOPE_WORDS[scope]}`,
					source: 'write scope'
				}
	];
	const overlay = (): Landing => ({
		to: 'overlay',
		path: `${rules.overlay.lives === 'profile disk' ? 'profile' : 'machine'}:overlay/${plain}`
	});
	const say = (words: string, side: Fact['side'] = 'for') => facts.push({ words, side, source: 'write scope' });
	const keeps = () =>
		say(
			`the overlay lies on the ${rules.overlay.lives === 'machine' ? 'disk of the machine' : 'profile disk'} and ${rules.overlay.outlasts ? 'is there again at the next session' : 'is emptied at sign-out'}`
		);
	if (systemFolders(system).file(plain) || SHARED.test(plain)) {
		say('it belongs to the system', 'against');
		if (scope === 'anywhere') {
			say('anywhere but the system: the write is refused', 'against');
			return { value: { to: 'refused', path: null }, facts };
		}
		say('the system stays as it is: the write goes to the overlay');
		keeps();
		return { value: overlay(), facts };
	}
	if (scope === 'anywhere') {
		say('it does not belong to the system: the write goes there itself');
		return { value: { to: 'place', path: plain }, facts };
	}
	if (scope === 'person' && PERSON.test(plain)) {
		say('it is one of the person’s own folders: the write goes there itself');
		return { value: { to: 'place', path: plain }, facts };
	}
	say(
		scope === 'person'
			? 'it is none of the person’s folders: the write goes to the overlay'
			: 'every write goes to the overlay'
	);
	keeps();
	return { value: overlay(), facts };
}

/** What is wrong with write rules, by field; empty when nothing is. */
export function writeRuleProblems(rules: WriteRules): { field: string; words: string }[] {
	const seen = new Set<string>();
	return rules.branches.flatMap(({ branch }, i) => {
		const field = `writes.branches.${i}.branch`;
		const key = branch.toLowerCase();
		if (branch.trim() === '') return [{ field, words: 'Write a path.' }];
		if (seen.has(key)) return [{ field, words: `${branch} stands twice.` }];
		seen.add(key);
		return branch.split('/').includes('..') ? [{ field, words: 'A path does not climb.' }] : [];
	});
}
