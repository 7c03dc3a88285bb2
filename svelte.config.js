import adapter from '@sveltejs/adapter-node';

/** @type {import('@sveltejs/kit').Config} */
export default {
	kit: {
		// What lies beside src is held to the same types.
		typescript: { config: (c) => ({ ...c, include: [...c.include, '../bench/**/*.ts', '../e2e/**/*.ts'] }) },
		adapter: adapter({ out: 'build', precompress: false }),
		// The origin check stands in hooks.server.ts, where it also covers JSON requests.
		csrf: { trustedOrigins: ['*'] },
		csp: {
			mode: 'nonce',
			directives: {
				'default-src': ['self'],
				'script-src': ['self'],
				// Svelte writes style attributes for positions and widths; no style element is inline.
				'style-src': ['self', 'unsafe-inline'],
				'img-src': ['self', 'data:', 'blob:'],
				'font-src': ['self'],
				'connect-src': ['self'],
				'object-src': ['none'],
				'base-uri': ['none'],
				'form-action': ['self'],
				'frame-ancestors': ['none']
			}
		}
	}
};
