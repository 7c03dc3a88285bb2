import { redirect } from '@sveltejs/kit';
import { endSignIn } from '$lib/server/identity/accounts';
import { runtime } from '$lib/server/runtime';

export const POST = ({ locals, cookies }) => {
	if (locals.caller?.signIn) endSignIn(runtime().db, locals.caller.signIn);
	cookies.delete('sextant', { path: '/' });
	redirect(303, '/sign-in');
};
