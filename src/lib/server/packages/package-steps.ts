import { isDeepStrictEqual } from 'node:util';
import { systemOf } from '$lib/core/packages/fits';
import type { SystemKind } from '$lib/core/packages/inventory';
import type { WriteRules } from '$lib/core/packages/scope';
import { FOREVER, sizeWords } from '$lib/core/time/units';
import type { Context } from '../context';
import { one, run, type Db } from '../db';
import { insertRow } from '../db/rows';
import { closeAt, putAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';
import type { KeptPackage } from '../packing/layout';
import { captureById, clashesAt, packageAt, packagesAt } from './queries';

/** Says at which rank a package stands from now on; what began in the same millisecond never was. */
export function rankPackage(db: Db, name: string, position: number, at: number): void {
	const now = one<{ position: number }>(
		db,
		`SELECT position FROM package_positions WHERE name = ? AND until = ${FOREVER}`,
		[name]
	);
	if (now?.position === position) return;
	putAt(db, 'package_positions', { name, position }, at);
}

function writeVersion(db: Db, kept: KeptPackage, at: number, by: string, job: number): void {
	insertRow(db, 'packages', { name: kept.spec.name, made_at: at, made_by: by }, 'keep');
	if (!one(db, `SELECT 1 FROM package_positions WHERE name = ? AND until = ${FOREVER}`, [kept.spec.name])) {
		const last = one<{ n: number | null }>(
			db,
			`SELECT max(position) AS n FROM package_positions WHERE until = ${FOREVER}`
		)!.n;
		rankPackage(db, kept.spec.name, (last ?? 0) + 1, at);
	}
	run(db, 'DELETE FROM package_versions WHERE name = ? AND number = ? AND gone_at <= ?', [
		kept.spec.name,
		kept.spec.version,
		at
	]);
	run(
		db,
		`INSERT INTO package_versions(name, number, manifest, spec, size, added, unpacked, files, settings, made_at, made_by, job_id)
		 VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
		[
			kept.spec.name,
			kept.spec.version,
			kept.manifest,
			JSON.stringify(kept.spec),
			kept.size,
			kept.added,
			kept.unpacked,
			kept.files,
			kept.settings,
			at,
			by,
			job
		]
	);
}

export const packageStepHandlers = {
	'package.build': stepHandler<{
		capture: number;
		name: string;
		number: string;
		note: string;
		targets: string[];
		writes: WriteRules;
		teams: string[];
		refusal: string;
		upon: string | null;
	}>({
		async run({ ctx, input, job, log }) {
			const capture = captureById(ctx.db, input.capture)!;
			const built = await ctx.packer.packages.build(
				input.capture,
				capture.choices,
				{
					name: input.name,
					version: input.number,
					note: input.note,
					system: capture.system ?? systemOf('unknown', 'single'),
					vouched: [],
					targets: input.targets,
					writes: input.writes,
					teams: input.teams,
					refusal: input.refusal,
					agent: '',
					capturedAt: capture.since,
					warmUp: []
				},
				input.upon
			);
			log(
				`${built.files} files, ${sizeWords(built.unpacked)}; packed ${sizeWords(built.size)}, of which ${sizeWords(built.added)} are new`
			);
			log(built.manifest);
			const now = ctx.clock.now();
			return {
				result: { package: `${input.name} ${input.number}` },
				write: (db) => {
					writeVersion(db, built, now, job.by, job.id);
					run(db, `UPDATE captures SET state = 'packaged', outcome = ? WHERE id = ?`, [
						`${input.name} ${input.number}`,
						input.capture
					]);
				}
			};
		}
	}),

	'package.import': stepHandler<{ manifest: string }>({
		async run({ ctx, input, job }) {
			const { spec, files, settings } = await ctx.packer.packages.contents(input.manifest);
			const now = ctx.clock.now();
			const others = manifestsAt(ctx, now, input.manifest);
			const { size, own } = await ctx.packer.packages.sizeOf(input.manifest, others);
			return {
				result: { package: `${spec.name} ${spec.version}` },
				write: (db) =>
					writeVersion(
						db,
						{
							manifest: input.manifest,
							spec,
							size,
							added: own,
							unpacked: files.reduce((n, f) => n + f.size, 0),
							files: files.filter((f) => f.kind !== 'folder').length,
							settings: settings.length
						},
						now,
						job.by,
						job.id
					)
			};
		}
	}),

	'package.remove': stepHandler<{ name: string; number: string }>({
		async run({ ctx, input, log }) {
			const now = ctx.clock.now();
			const gone = packageAt(ctx.db, input.name, now)?.versions.find((v) => v.number === input.number)?.manifest;
			if (gone === undefined) return;
			const freed = await ctx.packer.packages.remove(gone, manifestsAt(ctx, now, gone));
			log(`${sizeWords(freed)} freed`);
			return {
				write: (db) =>
					run(db, 'UPDATE package_versions SET gone_at = ? WHERE name = ? AND number = ?', [
						now,
						input.name,
						input.number
					])
			};
		}
	}),

	'package.order': stepHandler<{ order: string[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => input.order.forEach((name, i) => rankPackage(db, name, i + 1, now))
			};
		}
	}),

	'package.vouch': stepHandler<{
		name: string;
		number: string;
		system: SystemKind;
		vouch: boolean;
		why: string;
	}>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			const system = JSON.stringify(input.system);
			return {
				write: (db) => {
					const { name, number, vouch, why } = input;
					if (vouch) insertRow(db, 'package_vouches', { name, number, system, by: job.by, at: now, why }, 'replace');
					else
						run(db, 'DELETE FROM package_vouches WHERE name = ? AND number = ? AND system = ?', [name, number, system]);
				}
			};
		}
	}),

	'package.clashes': stepHandler<Record<string, never>>({
		async run({ ctx, log }) {
			const pairs = await clashesOf(ctx);
			const now = ctx.clock.now();
			log(pairs.length ? (pairs.length === 1 ? '1 pair clashes' : `${pairs.length} pairs clash`) : 'nothing clashes');
			return {
				write: (db) => {
					const open = new Map(clashesAt(db, now).map((c) => [`${c.a}\0${c.b}`, c]));
					for (const p of pairs) {
						const key = `${p.a}\0${p.b}`;
						const was = open.get(key);
						open.delete(key);
						if (was && isDeepStrictEqual([was.total, was.clashes], [p.total, p.clashes])) continue;
						putAt(
							db,
							'package_clashes',
							{
								a: p.a,
								b: p.b,
								total: p.total,
								counts: JSON.stringify(p.counts),
								clashes: JSON.stringify(p.clashes)
							},
							now
						);
					}
					for (const { a, b } of open.values()) closeAt(db, 'package_clashes', { a, b }, now);
				}
			};
		}
	})
};

/** Manifests of all versions but one. */
const manifestsAt = (ctx: Context, at: number, but: string): string[] =>
	packagesAt(ctx.db, at)
		.flatMap((p) => p.versions.map((v) => v.manifest))
		.filter((m) => m !== but);

/** Clashes between the newest versions of all packages. */
const clashesOf = (ctx: Context) =>
	ctx.packer.packages.clashes(
		packagesAt(ctx.db, ctx.clock.now()).map((p) => ({ id: p.name, manifest: p.versions.at(-1)!.manifest }))
	);
