/** What people sit at. */
export const ENDPOINT_KINDS = ['desk box', 'laptop', 'bridge terminal', 'hand-held'] as const;
export type EndpointKind = (typeof ENDPOINT_KINDS)[number];

/** Those that hang on a wire: asleep, they listen to the signal that wakes them. */
export const ON_A_WIRE: ReadonlySet<EndpointKind> = new Set(['desk box', 'bridge terminal']);
