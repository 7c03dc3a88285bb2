import { toast } from 'svelte-sonner';
import type { WrittenTest } from '$lib/core/reach/file';
import type { Otherwise } from '$lib/core/reach/rules';
import type { WrittenRule } from '$lib/core/reach/written';
import { addressWith } from '$lib/ui/frame/address';
import { arrive } from '$lib/ui/frame/arrive';
import { call, refusalWords, type Plan } from '$lib/ui/plan/api';

/** What is done to one rule. `before`: the rule that it comes to stand before; null: at the end. */
export type Edit =
	| { put: Omit<WrittenRule, 'id'> & { id?: string }; before?: string | null }
	| { move: string; before: string | null }
	| { remove: string };

/** Edits of rules as one plan has them. */
export interface Change {
	edits: Edit[];
	otherwise?: Otherwise;
	tests?: WrittenTest[];
}

const ASKED = 'who service host size from on managed branch firmware locks duty holiday when through share'.split(' ');

/** The address at which the tester tries an example. */
export const seenAt = (url: URL, tries: Readonly<Record<string, string>>): string =>
	`${addressWith(url, { ...Object.fromEntries(ASKED.map((k) => [k, null])), ...tries, rule: null, make: null })}#try`;

export const KIND = 'access-rules.change';

/** The draft of rules that is open: every edit makes a plan of all of them, in the place of the one before. */
export class Drafting {
	busy = $state(false);
	constructor(private readonly open: () => Plan | null) {}

	/** The plan that further edits go into; null: there is none yet. */
	get plan(): Plan | null {
		const plan = this.open();
		return plan?.kind === KIND ? plan : null;
	}
	/** What the open draft has already. */
	get change(): Change {
		const input = (this.plan?.input ?? {}) as Partial<Change>;
		return { ...input, edits: input.edits ?? [] };
	}
	/** What the draft would be with some more. */
	with = (more: Partial<Change>): Change => ({
		...this.change,
		...more,
		edits: [...this.change.edits, ...(more.edits ?? [])]
	});

	/** Drafts all of it with some more edits; says why where that cannot be. True when it stands. */
	async draft(more: Partial<Change>): Promise<boolean> {
		return this.redraft(this.with(more));
	}
	/** The draft without its last edit of a rule; one that nothing is left of goes. */
	async takeBack(): Promise<void> {
		const { edits, otherwise, tests } = this.change;
		const earlier = edits.slice(0, -1);
		if (earlier.length || (otherwise ?? tests)) await this.redraft({ ...this.change, edits: earlier });
		else await this.drop(this.plan, { plan: null });
	}
	/** Throws away the draft that another has come in the place of. */
	replaced = async (old: Plan | null): Promise<void> => {
		if (old) await call('DELETE', `/plans/${old.id}`);
	};

	private async drop(old: Plan | null, parts: { plan: null }): Promise<void> {
		await this.replaced(old);
		await arrive(parts, { keepFocus: true, noScroll: true, invalidateAll: true });
	}
	private async redraft(input: Change): Promise<boolean> {
		if (this.busy) return false;
		this.busy = true;
		try {
			const old = this.plan;
			const answer = await call<Plan>('POST', '/plans', { kind: KIND, input });
			if (!answer.ok) {
				toast.error(answer.refusal.title, { description: refusalWords(answer.refusal) });
				return false;
			}
			await arrive({ plan: answer.value.id, at: null }, { keepFocus: true, noScroll: true });
			await this.replaced(old);
			return true;
		} finally {
			this.busy = false;
		}
	}
}
