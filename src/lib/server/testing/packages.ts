import { bareSpec, type PackageSpec } from '$lib/core/packages/spec';
import { one } from '../db';
import { insertRow } from '../db/rows';
import { rankPackage } from '../packages/package-steps';
import type { Harness } from './harness';

/** The system of the machines of the small estate. */
export const QUAY_SYSTEM = { name: 'Meridian Server', version: '24', users: 'multi' as const };

/** Keeps a package version whose content nobody looks at. */
export function keepPackage(
	h: Harness,
	name: string,
	number: string,
	more: Partial<PackageSpec> = {},
	size = 8e6
): void {
	const spec: PackageSpec = {
		...bareSpec(name, number, QUAY_SYSTEM, h.lab.now),
		targets: [
			{
				id: `${name}-main`,
				name: name[0]!.toUpperCase() + name.slice(1),
				from: `C:/Users/Public/Start Menu/${name}.desktop`,
				command: `C:/Program Files/${name}/${name}.exe`,
				folder: `C:/Program Files/${name}`,
				arguments: '',
				icon: '',
				opens: [],
				terminal: false
			}
		],
		...more
	};
	insertRow(h.db, 'packages', { name, made_at: h.lab.now, made_by: 'test' }, 'keep');
	const there = one<{ n: number }>(h.db, 'SELECT count(*) AS n FROM package_positions WHERE name <> ?', [name])!.n;
	rankPackage(h.db, name, there + 1, h.lab.now);
	insertRow(h.db, 'package_versions', {
		name,
		number,
		manifest: `sha256:${name}-${number}`,
		spec: JSON.stringify(spec),
		size,
		added: size,
		unpacked: size * 2,
		files: 40,
		settings: 3,
		made_at: h.lab.now,
		made_by: 'test'
	});
}
