import type { Card } from '$lib/core/why/card';
import type { Context } from '../context';
import { changeByNumber } from './index';

export function changeCard({ db }: Context, text: string): Card | null {
	const number = Number(text);
	const c = changeByNumber(db, number);
	if (!c) return null;
	return {
		kind: 'change',
		id: String(number),
		title: c.title,
		sub: `change ${number}, ${c.outcome}, by ${c.by}`,
		rows: [
			{ name: 'kind', value: c.kind },
			{ name: 'by way of', value: c.via },
			...(c.jobId ? [{ name: 'job', value: `job ${c.jobId}` }] : []),
			...c.objects.slice(0, 12).map((o) => ({ name: o.split('/')[0]!, value: o.slice(o.indexOf('/') + 1), card: o }))
		],
		facts: [
			{ words: `${c.by} committed it`, at: c.at, source: 'change log' },
			{ words: `chained by ${c.hash.slice(0, 16)}…`, source: 'change log' }
		],
		actions: c.undo ? [{ words: 'Undo it', kind: c.undo.kind, input: c.undo.input }] : [],
		sections: []
	};
}
