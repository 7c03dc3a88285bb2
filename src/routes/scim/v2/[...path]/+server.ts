import { answerScim } from '$lib/server/scim';
import { runtime } from '$lib/server/runtime';

/** People and teams, told by a program: SCIM 2.0. */
const handle = ({ url, request, locals }: { url: URL; request: Request; locals: App.Locals }) =>
	answerScim({ ctx: runtime(), url, request, caller: locals.caller, number: locals.number });

export const GET = handle;
export const POST = handle;
export const PUT = handle;
export const PATCH = handle;
export const DELETE = handle;
