import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { compareBrought } from '$lib/server/packages';
import { runtime } from '$lib/server/runtime';

/** Compares the inventories that were brought, and sorts what differs. */
export const POST = ({ params }) => answer(async () => json(await compareBrought(runtime(), Number(params.id))));
