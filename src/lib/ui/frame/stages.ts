/** Today and the six stages of the job, in the order of the job; the number is the key. */
export const STAGES = [
	{ key: '0', name: 'Today', path: '/' },
	{ key: '1', name: 'Build', path: '/build' },
	{ key: '2', name: 'Publish', path: '/publish' },
	{ key: '3', name: 'Secure', path: '/secure' },
	{ key: '4', name: 'Scale', path: '/scale' },
	{ key: '5', name: 'Watch', path: '/watch' },
	{ key: '6', name: 'Fix', path: '/fix' }
] as const;

/** The path of the stage that a page belongs to: `/build` of `/build/sheet`. */
export const stagePath = (path: string): string => `/${path.split('/')[1] ?? ''}`;
