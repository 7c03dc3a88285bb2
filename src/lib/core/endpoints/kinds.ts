/** What people sit at. */
export const ENDPOINT_KINDS = ['desk box', 'laptop', 'bridge terminal', 'hand-held'] as const;
export type EndpointKind = (typeof ENDPOINT_KINDS)[number];
