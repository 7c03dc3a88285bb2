import { createHash } from 'node:crypto';
import { beforeEach, describe, expect, test } from 'vitest';
import { isFile, InventoryReader, type FileEntry, type InventoryEntry } from '$lib/core/packages/inventory';
import { MINUTE, SECOND } from '$lib/core/time/units';
import { loadEstate } from '../history';
import { Harness, testEstate } from '../testing/harness';

const demo = loadEstate('demo/kittiwake/estate.yaml');
if ('problems' in demo) throw new Error(demo.problems[0]!.message);
/** The small estate, with what can be installed in the demo. */
const estate = () =>
	testEstate('e2e/small.yaml', (e) => {
		e.installers = demo.estate.installers;
		e.lab.failure = 0;
		for (const p of e.directory.people) p.pattern = 'none';
	});
let h: Harness;
/** Waits for what the provider is asked, letting the lab live meanwhile. */
async function ask<T>(call: Promise<T>): Promise<T> {
	let done = false;
	void call.then(
		() => (done = true),
		() => (done = true)
	);
	for (let i = 0; i < 200 && !done; i++) await h.live(5 * SECOND);
	return call;
}
const installer = () => h.ctx.providers.installer;
async function look(machine: string, key: string): Promise<Map<string, InventoryEntry>> {
	const entries = new Map<string, InventoryEntry>();
	const reader = new InventoryReader();
	for (const line of (await ask(installer().look(machine, key))).split('\n')) {
		// The reader refuses whatever is out of order or stands twice.
		const e = reader.read(line);
		if (e) entries.set(isFile(e) ? e.file : `${e.setting}/${e.name}`, e);
	}
	expect(reader.heading).toMatchObject({ of: machine, system: { name: 'Meridian Server', users: 'multi' } });
	return entries;
}
const changed = (a: Map<string, InventoryEntry>, b: Map<string, InventoryEntry>) =>
	[...b].filter(([k, e]) => JSON.stringify(a.get(k)) !== JSON.stringify(e)).map(([k]) => k);

describe('the lab’s machines to capture on', () => {
	let machine: string;
	beforeEach(async () => {
		h = await Harness.of(estate());
		machine = (await ask(installer().prepare('desk', '1.1.0', 'p'))).machine;
	});

	test('hold what their image holds, and change a little by themselves', async () => {
		const [one, two] = [await look(machine, 'a'), await look(machine, 'b')];
		expect(one.size).toBeGreaterThan(2500);
		expect([...one.keys()].some((k) => k.startsWith('C:/Program Files/Paperlane/'))).toBe(true);
		const idle = changed(one, two);
		expect(idle.length).toBeGreaterThan(5);
		expect(idle.length).toBeLessThan(60);
		expect(idle.some((k) => k.startsWith('C:/Program Files'))).toBe(false);
		// Asked again with the same key it is the same look, to the letter.
		expect(await installer().look(machine, 'a')).toBe(await installer().look(machine, 'a'));
	});
	test('bring what the installer brings, whose bytes are what the inventory says', async () => {
		const before = await look(machine, 'a');
		const result = await ask(installer().install(machine, 'logline-3.0', 'i'));
		expect(result.exitCode).toBe(3010);
		await ask(installer().restart(machine, 'r'));
		const after = await look(machine, 'b');
		const files = changed(before, after)
			.map((k) => after.get(k)!)
			.filter(
				(e): e is FileEntry => isFile(e) && e.kind === 'file' && e.file.startsWith('C:/Program Files/Logline 3/')
			);
		expect(files.length).toBeGreaterThan(160);
		for (const f of files.slice(0, 20)) {
			const bytes = await installer().read(machine, f.file);
			expect(bytes.length).toBe(f.size);
			expect(createHash('sha256').update(bytes).digest('hex')).toBe(f.sha256);
		}
		await expect(installer().read(machine, 'C:/Meridian/Settings/hosts')).rejects.toThrow(/cannot be read/);
	});
	test('wait for a restart until it has been done, and keep what was set', async () => {
		await ask(installer().install(machine, 'logline-3.0', 'i'));
		const pending = 'Machine/System/Session manager/Pending renames/list';
		expect((await look(machine, 'a')).has(pending)).toBe(true);
		await ask(installer().restart(machine, 'r'));
		await ask(installer().set(machine, [{ setting: 'Machine/Software/X', name: 'y', type: 'text', value: 'z' }], 's'));
		const after = await look(machine, 'b');
		expect(after.has(pending)).toBe(false);
		expect(after.get('Machine/Software/X/y')).toMatchObject({ value: 'z' });
	});
	test('are gone once they are thrown away; what is not there is refused with its name', async () => {
		await ask(installer().dispose(machine, 'd'));
		await expect(ask(installer().look(machine, 'x'))).rejects.toThrow(`there is no machine ${machine} to capture on`);
		await expect(ask(installer().prepare('desk', '9.9.9', 'q'))).rejects.toThrow('the image store has no desk 9.9.9');
		const { machine: other } = await ask(installer().prepare('desk', '1.0.0', 'o'));
		await expect(ask(installer().install(other, 'moon', 'm'))).rejects.toThrow('there is no installer moon');
		expect((await installer().offers()).map((o) => o.id)).toContain('gaugetalk-1.9');
	});
	test('take the time that things take', async () => {
		const began = h.lab.now;
		await ask(installer().install(machine, 'gaugetalk-1.9', 'i'));
		expect(h.lab.now - began).toBeGreaterThan(45 * SECOND);
		expect(h.lab.now - began).toBeLessThan(4 * MINUTE);
	});
});
