import { untrack } from 'svelte';
import type { Outline } from '$lib/core/plans/effects';
import { unreadIn } from '$lib/ui/forms/unread';
import type { Parts } from '$lib/ui/frame/address';
import { call } from './api';
import { draftFrom, wrongIn } from './draft';

/** How long nothing is typed before what it comes to is computed, ms. */
const STILL = 450;

interface How<F extends object> {
	/** The kind of plan; it may depend on what is chosen. */
	kind: string | ((fields: F) => string);
	/** What the fields hold to begin with. */
	start: F;
	/** The plan's input, of what the fields hold. */
	input(fields: F): unknown;
	/** What the page itself sees to be wrong, by field, before the server is asked. */
	wrong?(fields: F): Record<string, string | undefined>;
	/** The field beside which a problem of an input's path is said, where they are not the same. */
	beside?(path: string): string;
	/** What of the address changes when the plan has come up in the tray; it may depend on what is chosen. */
	parts?: Parts | ((fields: F) => Parts);
	/** Whether to compute the effects as one types; not where computing them takes long, or where a file has to come first. */
	foresee?: boolean;
	/** The fields begin with what holds already: nothing is said of a plan until one of them differs. */
	holds?: boolean;
}

/**
 * A form that drafts a plan: what its fields hold, what is wrong beside which, whether it is at work, and what it would do, computed as one
 * types. What was typed stays, whatever happens. Make it while a component is set up.
 */
export class PlanForm<F extends object> {
	readonly f: F;
	/** By field; what belongs to none stands under `form`. */
	errors: Record<string, string> = $state({});
	busy = $state(false);
	foreseen: Outline | null = $state(null);
	/** Whether what is foreseen is being computed anew. */
	looking = $state(false);
	private turn = 0;
	/** Once it has been submitted, what is wrong is said anew as one types. */
	private tried = false;
	/** What holds already, where the fields begin with it. */
	private readonly held: string | null;

	constructor(private readonly how: How<F>) {
		const fields = $state(how.start);
		this.f = fields;
		this.held = how.holds ? untrack(() => JSON.stringify(how.input(fields))) : null;
		if (how.foresee !== false)
			$effect(() => {
				const kind = this.kind;
				const input = this.how.input(this.f);
				// All of it is read here, however deep, so that this follows it.
				const said = JSON.stringify(input);
				return untrack(() => (said === this.held && !this.tried ? this.unsay() : this.look(kind, input)));
			});
	}

	get kind(): string {
		return typeof this.how.kind === 'string' ? this.how.kind : this.how.kind(this.f);
	}

	/** Drafts the plan: it comes up in the tray, or what is wrong stands beside its field. True when it stands. */
	submit = async (e?: SubmitEvent): Promise<boolean> => {
		e?.preventDefault();
		if (this.busy) return false;
		this.tried = true;
		const input = this.how.input(this.f);
		this.errors = this.sorted(this.unready(input));
		if (Object.keys(this.errors).length) return false;
		this.busy = true;
		try {
			const { parts } = this.how;
			this.errors = this.sorted(await draftFrom(this.kind, input, typeof parts === 'function' ? parts(this.f) : parts));
		} finally {
			this.busy = false;
		}
		const stands = Object.keys(this.errors).length === 0;
		if (stands) this.tried = false;
		return stands;
	};

	/** What keeps it from being asked about at all, by field. */
	private unready(input: unknown): Record<string, string> {
		const wrong = Object.entries(this.how.wrong?.(this.f) ?? {});
		return {
			...unreadIn(input),
			...Object.fromEntries(wrong.filter((e): e is [string, string] => e[1] !== undefined))
		};
	}

	/** Each beside its field; what belongs to none stays with the form. */
	private sorted(errors: Record<string, string>): Record<string, string> {
		const beside = this.how.beside ?? ((path: string) => path);
		return Object.fromEntries(
			Object.entries(errors).map(([path, words]) => [path === 'form' ? path : beside(path), words])
		);
	}

	/** Nothing differs from what holds: there is nothing to say. */
	private unsay(): undefined {
		this.turn++;
		this.foreseen = null;
		this.looking = false;
	}

	/** Asks what it would come to, once nothing has been typed for a moment. What is unfinished says nothing yet. */
	private look(kind: string, input: unknown): (() => void) | undefined {
		const mine = ++this.turn;
		const unready = this.unready(input);
		if (Object.keys(unready).length) {
			this.foreseen = null;
			this.looking = false;
			if (this.tried) this.errors = this.sorted(unready);
			return undefined;
		}
		const off = new AbortController();
		const timer = setTimeout(() => {
			this.looking = true;
			void call<Outline>('POST', '/plans/foresee', { kind, input }, off.signal).then((answer) => {
				if (mine !== this.turn) return;
				this.looking = false;
				this.foreseen = answer.ok ? answer.value : null;
				if (this.tried) this.errors = answer.ok ? {} : this.sorted(wrongIn(answer.refusal));
			});
		}, STILL);
		return () => {
			clearTimeout(timer);
			off.abort();
		};
	}
}
