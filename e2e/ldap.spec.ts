import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { broughtBy } from '../src/lib/core/people/entries';
import { readLdif, type LdifRecord } from '../src/lib/core/people/ldif';
import { signedIn } from './hands';

/** An LDAP server is loaded with what is written out, and answers with what we have. */
test('a directory server takes our LDIF, checks it by its schema, and answers with the same people and teams', async () => {
	test.setTimeout(180_000);
	const owner = await signedIn('owner');
	const written = await (await owner.get('/api/v1/directory.ldif')).text();
	const dir = mkdtempSync(join(tmpdir(), 'sextant-ldap-'));
	mkdirSync(join(dir, 'db'));
	const socket = `ldapi://${encodeURIComponent(join(dir, 's'))}`;
	const base = /^dn: (.+)$/m.exec(written)![1]!;
	writeFileSync(
		join(dir, 'slapd.conf'),
		[
			...['core', 'cosine', 'inetorgperson'].map((s) => `include /etc/ldap/schema/${s}.schema`),
			`include ${join(process.cwd(), 'docs/examples/sextant.schema')}`,
			'modulepath /usr/lib/ldap',
			'moduleload back_mdb',
			'database mdb',
			`suffix "${base}"`,
			`directory ${join(dir, 'db')}`,
			'maxsize 1073741824',
			'sizelimit unlimited',
			'access to * by * read'
		].join('\n')
	);
	writeFileSync(join(dir, 'people.ldif'), written);
	const load = spawnSync('/usr/sbin/slapadd', ['-f', join(dir, 'slapd.conf'), '-l', join(dir, 'people.ldif')], {
		encoding: 'utf8'
	});
	expect(load.status, load.stderr.slice(0, 2000)).toBe(0);
	const server = spawn('/usr/sbin/slapd', ['-f', join(dir, 'slapd.conf'), '-h', socket, '-d', '0'], {
		stdio: 'ignore'
	});
	try {
		await expect.poll(() => existsSync(join(dir, 's')), { timeout: 20_000 }).toBe(true);
		const search = (filter: string) =>
			spawnSync('/usr/bin/ldapsearch', ['-x', '-LLL', '-o', 'ldif-wrap=no', '-H', socket, '-b', base, filter], {
				encoding: 'utf8',
				maxBuffer: 1e9
			});
		const all = search('(objectClass=*)');
		expect(all.status, all.stderr).toBe(0);
		const given = (text: string) => {
			const { records, problems } = readLdif(text);
			expect(problems).toEqual([]);
			const { people, teams, problems: odd } = broughtBy(records, { people: new Map(), teams: [] });
			expect(odd).toEqual([]);
			return {
				people: people
					.map((p) => ({ ...p.given, teams: [...(p.given.teams ?? [])].sort() }))
					.sort((a, b) => (a.login < b.login ? -1 : 1)),
				teams: teams.map((t) => t.team).sort((a, b) => (a.name < b.name ? -1 : 1))
			};
		};
		const ours = given(written);
		expect(ours.people.length).toBeGreaterThan(1200);
		expect(given(all.stdout)).toEqual(ours);
		// As any program would ask it.
		const one = readLdif(search('(&(objectClass=inetOrgPerson)(uid=omyhre))').stdout).records as LdifRecord[];
		expect(one.map((r) => r.kind === 'content' && [r.attributes.get('cn'), r.attributes.get('sextantends')])).toEqual([
			[['Oskar Myhre'], ['20261127060000Z']]
		]);
	} finally {
		const ended = new Promise((over) => server.on('exit', over));
		server.kill();
		await ended;
		await owner.dispose();
	}
});

test('without our class it is plain: a server that does not know it takes it as well', async () => {
	const owner = await signedIn('owner');
	const plain = await (await owner.get('/api/v1/directory.ldif?plain=yes')).text();
	expect(plain).not.toContain('sextant');
	expect(plain).toContain('objectClass: inetOrgPerson');
	await owner.dispose();
});
