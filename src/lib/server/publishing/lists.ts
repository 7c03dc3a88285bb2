import * as v from 'valibot';
import { CHANNELS } from '$lib/core/access/decide';
import { PLACINGS } from '$lib/core/capacity/placement';
import { PROTOCOLS } from '$lib/core/estate/schema';
import { bytes, cents, moment, span, text, whole } from '../lists/columns';
import type { ListKind } from '../lists/kind';
import { shortList } from '../lists/short';
import { grantsIn, publishingAt } from './narrowed';

const hours = v.strictObject({ days: v.array(whole), from: whole, until: whole });

const pools = shortList({
	name: 'pools',
	words: 'Pools, with their policies',
	card: 'pool',
	row: v.strictObject({
		id: text,
		name: text,
		site: text,
		siteName: text,
		zone: text,
		line: text,
		version: text,
		assignment: v.picklist(['shared', 'personal']),
		perMachine: whole,
		cores: whole,
		memory: bytes,
		gpus: whole,
		disk: bytes,
		pageFile: bytes,
		pageFileOn: v.picklist(['overlay', 'apart']),
		bootServers: v.array(text),
		naming: text,
		folder: text,
		network: text,
		policy: v.strictObject({
			hours,
			headroomIn: whole,
			headroomOut: whole,
			least: whole,
			most: whole,
			patience: span,
			placing: v.picklist(PLACINGS)
		}),
		hoursId: text,
		priceHour: cents
	}),
	rows(db, at, scope) {
		const view = publishingAt(db, scope, at);
		return { items: view.pools, left: view.left[0] };
	}
});

const publications = shortList({
	name: 'publications',
	words: 'Publications, as people see them and as we do',
	card: 'publication',
	row: v.strictObject({
		id: text,
		name: text,
		internalName: text,
		icon: text,
		pools: v.array(text),
		protocol: v.picklist(PROTOCOLS),
		app: v.nullable(v.strictObject({ package: text, target: text })),
		reaches: v.nullable(text),
		description: text,
		look: v.strictObject({
			window: v.picklist(['window', 'full']),
			monitors: v.picklist(['one', 'all']),
			group: text
		}),
		visible: v.array(text),
		off: v.boolean(),
		owner: v.nullable(text),
		licences: v.nullable(whole),
		beyond: v.picklist(['warn', 'block']),
		since: moment
	}),
	rows(db, at, scope) {
		const view = publishingAt(db, scope, at);
		return { items: view.publications, left: view.left[1] };
	}
});

const grants = shortList({
	name: 'grants',
	words: 'Grants: who gets what, on which conditions',
	card: 'grant',
	row: v.strictObject({
		id: whole,
		publication: text,
		publicationName: text,
		toKind: v.picklist(['team', 'person']),
		toId: text,
		toLogin: v.nullable(text),
		toName: text,
		team: v.nullable(text),
		person: v.nullable(text),
		conditions: v.strictObject({
			hours: v.optional(hours),
			managedEndpoint: v.optional(v.boolean()),
			secondFactor: v.optional(v.boolean()),
			networks: v.optional(v.array(text)),
			from: v.optional(text),
			to: v.optional(text)
		}),
		channels: v.array(v.picklist(CHANNELS)),
		kind: v.picklist(['required', 'optional']),
		machines: whole,
		since: moment
	}),
	rows(db, at, scope) {
		const { items, left } = grantsIn(db, scope, at);
		return {
			items: items.map((g) => ({ ...g, team: g.toKind === 'team' ? g.toId : null, person: g.toLogin })),
			left
		};
	}
});

export const publishingLists: readonly ListKind[] = [pools, publications, grants];
