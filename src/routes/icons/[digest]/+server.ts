import { error } from '@sveltejs/kit';
import { iconByDigest } from '$lib/server/publications';
import { runtime } from '$lib/server/runtime';

/** A picture by its digest: it never changes. Nothing in it runs, wherever it is opened. */
export const GET = ({ params }) => {
	const icon = iconByDigest(runtime().db, params.digest);
	if (!icon) error(404, 'There is no such picture.');
	return new Response(new Uint8Array(icon.bytes), {
		headers: {
			'content-type': icon.type,
			'cache-control': 'private, max-age=31536000, immutable',
			'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; sandbox"
		}
	});
};
