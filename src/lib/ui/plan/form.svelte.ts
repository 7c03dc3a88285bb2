import { goto } from '$app/navigation';
import { page } from '$app/state';
import { untrack } from 'svelte';
import type { Effects } from '$lib/core/plans/effects';
import type { Fact } from '$lib/core/why/explained';
import { unreadIn } from '$lib/ui/forms/unread';
import { addressWith, type Parts } from '$lib/ui/frame/address';
import { call, refusalWords, type Plan, type Refusal } from './api';

/** What a plan would do, computed before it is drafted. */
export interface Foreseen {
	title: string;
	effects: Effects;
	warnings: Fact[];
	blocks: Fact[];
	reasons: Fact[];
}

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
	/** What of the address changes when the plan has come up in the tray. */
	parts?: Parts;
	/** Whether to compute the effects as one types; not where computing them takes long, or where a file has to come first. */
	foresee?: boolean;
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
	foreseen: Foreseen | null = $state(null);
	/** Whether what is foreseen is being computed anew. */
	looking = $state(false);
	private turn = 0;
	/** Once it has been submitted, what is wrong is said anew as one types. */
	private tried = false;

	constructor(private readonly how: How<F>) {
		const fields = $state(how.start);
		this.f = fields;
		if (how.foresee !== false)
			$effect(() => {
				const kind = this.kind;
				const input = this.how.input(this.f);
				// All of it is read here, however deep, so that this follows it.
				JSON.stringify(input);
				return untrack(() => this.look(kind, input));
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
		const answer = await call<Plan>('POST', '/plans', { kind: this.kind, input });
		if (answer.ok) {
			this.tried = false;
			await goto(addressWith(page.url, { plan: answer.value.id, card: null, ...this.how.parts }), { noScroll: true });
		} else {
			this.errors = this.said(answer.refusal);
		}
		this.busy = false;
		return answer.ok;
	};

	/** What keeps it from being asked about at all, by field. */
	private unready(input: unknown): Record<string, string> {
		const wrong = Object.entries(this.how.wrong?.(this.f) ?? {});
		return {
			...unreadIn(input),
			...Object.fromEntries(wrong.filter((e): e is [string, string] => e[1] !== undefined))
		};
	}

	private said(refusal: Refusal): Record<string, string> {
		const { errors } = refusal;
		return errors.length
			? this.sorted(Object.fromEntries(errors.map((x) => [x.field, x.words])))
			: { form: refusalWords(refusal) };
	}

	private sorted(errors: Record<string, string>): Record<string, string> {
		const { beside } = this.how;
		return beside ? Object.fromEntries(Object.entries(errors).map(([path, words]) => [beside(path), words])) : errors;
	}

	/** Asks what it would come to, once nothing has been typed for a moment. What is unfinished says nothing yet. */
	private look(kind: string, input: unknown): (() => void) | undefined {
		const mine = ++this.turn;
		const unready = this.unready(input);
		if (Object.keys(unready).length) {
			this.foreseen = null;
			if (this.tried) this.errors = this.sorted(unready);
			return undefined;
		}
		const off = new AbortController();
		const timer = setTimeout(() => {
			this.looking = true;
			void call<Foreseen>('POST', '/plans/foresee', { kind, input }, off.signal).then((answer) => {
				if (mine !== this.turn) return;
				this.looking = false;
				this.foreseen = answer.ok ? answer.value : null;
				if (this.tried) this.errors = answer.ok ? {} : this.said(answer.refusal);
			});
		}, STILL);
		return () => {
			clearTimeout(timer);
			off.abort();
		};
	}
}
