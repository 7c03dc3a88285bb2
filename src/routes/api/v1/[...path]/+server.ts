import type { RequestEvent } from '@sveltejs/kit';
import { answerApi } from '$lib/server/api/request';
import { runtime, wholeRuntime } from '$lib/server/runtime';

/** The API: what is declared at each address answers. */
const handle = ({ url, request, locals, getClientAddress }: RequestEvent) =>
	answerApi({
		url,
		request,
		caller: locals.caller,
		ctx: runtime(),
		whole: wholeRuntime(),
		number: locals.number,
		address: getClientAddress()
	});

export const GET = handle;
export const POST = handle;
export const DELETE = handle;
export const PUT = handle;
export const PATCH = handle;
