import { openApi } from '$lib/server/api/openapi';

/** It never changes while the process runs, and is dear: anybody may ask for it. */
let text: string | null = null;

export const GET = () => {
	text ??= JSON.stringify(openApi());
	return new Response(text, { headers: { 'content-type': 'application/json' } });
};
