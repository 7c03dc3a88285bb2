import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { runtime } from '$lib/server/runtime';

export const GET = () => answer(async () => json({ rows: (await runtime().bench?.outbox()) ?? [] }));
