import { execFileSync, spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, request, test } from '@playwright/test';
import { Server } from './own-server';

/** The reverse proxy of docs/operators.md, as it stands there: nginx with TLS before Sextant. */
const CONF = (dir: string) => `
daemon off; pid ${dir}/nginx.pid; error_log ${dir}/error.log; worker_processes 1;
events {}
http {
	access_log off; client_body_temp_path ${dir}/body; proxy_temp_path ${dir}/proxy; fastcgi_temp_path ${dir}/f; uwsgi_temp_path ${dir}/u; scgi_temp_path ${dir}/s;
	server {
		listen 127.0.0.1:4895 ssl;
		ssl_certificate ${dir}/cert.pem; ssl_certificate_key ${dir}/key.pem;
		client_max_body_size 8g;
		location / {
			proxy_pass http://127.0.0.1:4896;
			proxy_http_version 1.1;
			proxy_buffering off; proxy_request_buffering off;
			proxy_set_header Host $http_host;
			proxy_set_header X-Forwarded-Host $http_host;
			proxy_set_header X-Forwarded-Proto $scheme;
			proxy_set_header X-Forwarded-For $remote_addr;
		}
	}
}`;

test.afterEach(() => Server.endAll());

test('behind a proxy with TLS: cookies are for TLS alone, its word on addresses counts, and nobody else’s', async () => {
	const dir = mkdtempSync(join(tmpdir(), 'sextant-proxy-'));
	mkdirSync(join(dir, 'body'));
	execFileSync('openssl', [
		'req', '-x509', '-newkey', 'ed25519', '-nodes', '-days', '2', '-subj', '/CN=localhost', '-keyout', join(dir, 'key.pem'), '-out', join(dir, 'cert.pem')
	]); // prettier-ignore
	writeFileSync(join(dir, 'nginx.conf'), CONF(dir));
	const server = new Server(4896, '60', undefined, undefined, ['--proxy', '1']);
	await server.start();
	const nginx = spawn('nginx', ['-c', join(dir, 'nginx.conf'), '-p', dir], { stdio: 'inherit' });
	try {
		const web = await request.newContext({ baseURL: 'https://localhost:4895', ignoreHTTPSErrors: true });
		await expect
			.poll(() =>
				web.get('/welcome').then(
					(r) => r.status(),
					() => 0
				)
			)
			.toBe(200);
		expect((await web.get('/welcome')).headers()['strict-transport-security']).toMatch(/max-age=\d+/);
		const code = /works once: (\S+)/.exec(server.output)![1]!;
		const origin = { origin: 'https://localhost:4895', accept: 'text/html' };
		const made = await web.post('/welcome', {
			headers: origin,
			form: { code, login: 'ada', name: 'Ada', password: 'a long password' },
			maxRedirects: 0
		});
		expect(made.status()).toBe(303);
		const entered = await web.post('/sign-in', {
			headers: origin,
			form: { login: 'ada', password: 'a long password' },
			maxRedirects: 0
		});
		expect(entered.status()).toBe(303);
		expect(entered.headers()['set-cookie']).toMatch(/__Host-sextant=.*Path=\/; HttpOnly; Secure; SameSite=Lax/i);
		expect((await web.get('/')).status()).toBe(200);
		// A cookie of the same name that another host, or a page without TLS, could have set opens nothing.
		const own = (await web.storageState()).cookies.find((c) => c.name === '__Host-sextant')!;
		const planted = await request.newContext({
			...{ baseURL: 'https://localhost:4895', ignoreHTTPSErrors: true },
			extraHTTPHeaders: { cookie: `sextant=${own.value}` }
		});
		expect((await planted.get('/api/v1/sites')).status()).toBe(401);
		await planted.dispose();
		const left = await web.post('/sign-out', { headers: origin, maxRedirects: 0 });
		expect(left.headers()).toMatchObject({ 'clear-site-data': '"cache"' });
		expect(left.headers()['set-cookie']).toMatch(/__Host-sextant=;/);
		expect((await web.get('/api/v1/sites')).status()).toBe(401);
		// From another origin nothing is taken, with the proxy as without.
		expect((await web.post('/sign-in', { headers: { origin: 'https://evil.example' }, form: {} })).status()).toBe(403);
		// Whoever guesses does not get more guesses by saying that they are somebody else.
		const stranger = await request.newContext({ baseURL: 'https://localhost:4895', ignoreHTTPSErrors: true });
		const answers = await Promise.all(
			Array.from({ length: 40 }, (_v, i) =>
				stranger
					.post('/sign-in', {
						headers: { ...origin, 'x-forwarded-for': `10.0.0.${i}` },
						form: { login: 'ada', password: 'wrong' }
					})
					.then((r) => r.status())
			)
		);
		// Eight are free; then one is taken after each wait, which doubles: a slow machine answers forty over some of those.
		const taken = answers.filter((s) => s === 400).length;
		expect(taken).toBeGreaterThanOrEqual(8);
		expect(taken).toBeLessThanOrEqual(13);
		expect(answers.filter((s) => s === 429)).toHaveLength(40 - taken);
		await web.dispose();
		await stranger.dispose();
	} finally {
		nginx.kill('SIGQUIT');
		await server.end();
		rmSync(dir, { recursive: true, force: true });
	}
});
