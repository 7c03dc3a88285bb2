import { ROWS } from '$lib/core/reports/spec';
import type { KeptReport } from './report';

/** Reports that ship: each can be made as it is, or kept otherwise under its own name. */
export const SHIPPED: readonly Omit<KeptReport, 'zone' | 'since'>[] = [
	{
		id: 'refused',
		name: 'Refused by rule and team',
		question: 'Which rules refuse what to which teams, and how often?',
		source: 'refusals',
		scope: '',
		days: 30,
		spec: {
			columns: ['rule', 'team', 'refused', 'decisions', 'people'],
			group: null,
			chart: 'refused',
			sort: 'refused',
			descending: true,
			limit: 500
		},
		by: 'Sextant',
		ships: true
	},
	{
		id: 'unusual-hours',
		name: 'Unusual hours',
		question: 'Who reached something at an hour at which they hardly ever do?',
		source: 'unusual-hours',
		scope: '',
		days: 7,
		spec: {
			columns: ['name', 'team', 'site', 'at', 'usual', 'decisions', 'up', 'down'],
			group: null,
			chart: null,
			sort: '',
			descending: false,
			limit: 500
		},
		by: 'Sextant',
		ships: true
	},
	{
		id: 'largest-transfers',
		name: 'Largest transfers',
		question: 'Who moved the most, to where, on which day?',
		source: 'transfers',
		scope: '',
		days: 30,
		spec: {
			columns: ['name', 'team', 'target', 'day', 'up', 'down', 'decisions'],
			group: null,
			chart: 'up',
			sort: 'up',
			descending: true,
			limit: 100
		},
		by: 'Sextant',
		ships: true
	},
	{
		id: 'unused-services',
		name: 'Services nobody uses',
		question: 'Which private services has nobody reached?',
		source: 'unused-services',
		scope: '',
		days: 90,
		spec: {
			columns: ['name', 'group', 'hosts', 'last', 'refused', 'known'],
			group: null,
			chart: null,
			sort: '',
			descending: false,
			limit: 1000
		},
		by: 'Sextant',
		ships: true
	},
	{
		id: 'unused-access',
		name: 'Access without use',
		question: 'Who has been given something that they have not opened for 90 days?',
		source: 'unused-access',
		scope: '',
		days: 90,
		spec: {
			columns: ['person', 'team', 'last'],
			group: { column: 'publicationName', by: 'value' },
			chart: ROWS,
			sort: ROWS,
			descending: true,
			limit: 1000
		},
		by: 'Sextant',
		ships: true
	}
];
