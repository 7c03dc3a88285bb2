import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { capturesAt } from '$lib/server/packages/queries';
import { runtime } from '$lib/server/runtime';

/** Captures, newest first. One is begun by the plan `package.capture`. */
export const GET = () => answer(() => json({ rows: capturesAt(runtime().db, runtime().clock.now()) }));
