import type { InventoryHeading, SettingEntry } from '$lib/core/packages/inventory';
import { sizeWords } from '$lib/core/time/units';
import { one, run, type Db } from '../db';
import { closeAt, openAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';
import { ProviderError, StepFailed } from '../providers';
import type { WhichInventory } from '../packing/packer';

interface CaptureInput {
	name: string;
	line: string;
	number: string;
	installer: string;
}

/** Files are fetched so many at once. */
const AT_ONCE = 8;

const captureOf = (db: Db, job: number) =>
	one<{ id: number; machine: string | null }>(db, 'SELECT id, machine FROM captures WHERE job_id = ?', [job])!;

const machineOf = (db: Db, job: number): { id: number; machine: string } => {
	const { id, machine } = captureOf(db, job);
	if (machine === null) throw new StepFailed('its machine is gone: capture it anew');
	return { id, machine };
};

export const captureStepHandlers = {
	'capture.prepare': stepHandler<CaptureInput>({
		async run({ ctx, input, job, key, log }) {
			const { machine } = await ctx.providers.installer.prepare(input.line, input.number, key('prepare'));
			log(`${machine} is ready`);
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const of = { name: input.name, line_id: input.line, number: input.number, installer: input.installer };
					openAt(db, 'captures', { ...of, job_id: job.id, by: job.by, state: 'taking', machine }, now);
				}
			};
		}
	}),

	'capture.look': stepHandler<CaptureInput & { as: WhichInventory }>({
		async run({ ctx, input, job, key, log }) {
			const { id, machine } = machineOf(ctx.db, job.id);
			const text = await ctx.providers.installer.look(machine, key(`look ${input.as}`));
			const heading = await ctx.packer.captures.keep(id, input.as, text);
			log(`${text.split('\n').length - 2} entries, ${sizeWords(text.length)}`);
			if (input.as !== 'before') return;
			const notes = notesOf(heading);
			for (const n of notes) log(n);
			return {
				write: (db) =>
					run(db, 'UPDATE captures SET notes = ?, system = ? WHERE id = ?', [
						JSON.stringify(notes),
						heading.system ? JSON.stringify(heading.system) : null,
						id
					])
			};
		}
	}),

	'capture.install': stepHandler<CaptureInput>({
		async run({ ctx, input, job, key, log }) {
			const { machine } = machineOf(ctx.db, job.id);
			const result = await ctx.providers.installer.install(machine, input.installer, key('install'));
			for (const line of result.log) log(line);
			if (result.exitCode === 3010) {
				await ctx.providers.installer.restart(machine, key('restart'));
				log('restarted, as it asked for');
			} else if (result.exitCode !== 0)
				throw new StepFailed(
					`the installer ended with exit code ${result.exitCode}: ${result.log.at(-1) ?? 'nothing printed'}`
				);
		}
	}),

	'capture.set': stepHandler<CaptureInput & { settings: SettingEntry[] }>({
		async run({ ctx, input, job, key, log }) {
			const { machine } = machineOf(ctx.db, job.id);
			await ctx.providers.installer.set(machine, input.settings, key('set'));
			for (const s of input.settings) log(`${s.setting} ${s.name} = ${s.value}`);
		}
	}),

	'capture.compare': stepHandler<CaptureInput>({
		async run({ ctx, job, each, log }) {
			const { id, machine } = machineOf(ctx.db, job.id);
			const summary = await ctx.packer.captures.compare(id);
			const wanted = await ctx.packer.captures.wanted(id);
			// What the machine cannot give, such as a changed file of the system, is only missed when the package is to have it.
			let bytes = 0;
			let without = 0;
			await each(
				wanted.map((f) => f.path),
				AT_ONCE,
				async (path) => {
					try {
						const content = await ctx.providers.installer.read(machine, path);
						bytes += content.length;
						await ctx.packer.captures.keepFile(id, path, content);
					} catch (e) {
						if (!(e instanceof ProviderError)) throw e;
						without++;
					}
				}
			);
			const { sorts } = summary;
			log(
				`${summary.changes} changes: ${sorts.app.changes} of the app, ${sorts.noise.changes} noise, ${sorts.doubtful.changes} doubtful; ${sizeWords(bytes)} fetched${without ? `, ${without} files could not be read` : ''}`
			);
			return {
				result: { changes: summary.changes },
				write: (db) =>
					run(db, `UPDATE captures SET summary = ?, state = 'sorted' WHERE id = ?`, [JSON.stringify(summary), id])
			};
		}
	}),

	'capture.dispose': stepHandler<CaptureInput>({
		async run({ ctx, job, key, log }) {
			const { id, machine } = machineOf(ctx.db, job.id);
			await ctx.providers.installer.dispose(machine, key('dispose'));
			log('the machine is gone');
			return { write: (db) => run(db, 'UPDATE captures SET machine = NULL WHERE id = ?', [id]) };
		}
	}),

	'capture.discard': stepHandler<{ capture: number }>({
		async run({ ctx, input, key }) {
			const row = one<{ machine: string | null }>(ctx.db, 'SELECT machine FROM captures WHERE id = ?', [input.capture]);
			if (row?.machine) await ctx.providers.installer.dispose(row.machine, key('dispose')).catch(() => {});
			await ctx.packer.captures.discard(input.capture);
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(db, `UPDATE captures SET state = 'thrown away', machine = NULL WHERE id = ?`, [input.capture]);
					closeAt(db, 'captures', { id: input.capture }, now);
				}
			};
		}
	})
};

/** What is worth knowing of a machine before anything is captured on it; it can be gone on with all the same. */
function notesOf(heading: InventoryHeading): string[] {
	const notes: string[] = [];
	if (heading.restartsPending)
		notes.push(`${heading.restartsPending} restarts are pending: what they do will look as if the installer did it`);
	const programs = heading.programs ?? [];
	if (programs.length)
		notes.push(`other programs are on it: ${programs.join(', ')}; what the app shares with them will be missing`);
	return notes;
}
