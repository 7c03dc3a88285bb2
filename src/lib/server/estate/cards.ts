import { addressText, rangeEnds } from '$lib/core/network/addresses';
import { countWords, sizeWords } from '$lib/core/time/units';
import type { Card } from '$lib/core/why/card';
import type { Context } from '../context';
import { asOf } from '../db/intervals';
import { all, one } from '../db';
import type { Then } from '../things/catalogue';
import { atMoment, sampleAt, SAMPLED_STRAIN } from '../samples/read';
import { leasesOf, networkById, sitesOf } from './queries';

export function hostCard({ db }: Context, name: string, { at }: Then): Card | null {
	const h = one<{
		id: number;
		cores: number;
		memory: number;
		gpus: number;
		site: string;
		site_id: string;
		price_hour: number;
	}>(db, 'SELECT h.*, s.name AS site FROM hosts h JOIN sites s ON s.id = h.site_id WHERE h.name = ?', [name]);
	if (!h) return null;
	const machines = all<{ name: string; state: string; strain: number | null }>(
		db,
		`SELECT m.name, st.state, ${SAMPLED_STRAIN} AS strain FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id
		 JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st')} WHERE pl.host_id = @host AND ${asOf('machine_spots pl')} ORDER BY strain DESC, m.name`,
		{ ...atMoment(db, at), host: h.id }
	);
	const found = sampleAt(db, 'host', h.id, at);
	const sample = found?.row as { cores: number; memory: number; gpu: number } | undefined;
	const average = found?.of === 'quarter hour' ? ' on the average of that quarter hour' : '';
	const up = machines.filter((m) => m.state !== 'off' && m.state !== 'failed').length;
	return {
		kind: 'host',
		id: name,
		title: name,
		sub: `${up} of ${countWords(machines.length, 'machine')} up`,
		rows: [
			{ name: 'site', value: h.site, scope: `site:${h.site_id}` },
			{ name: 'cores', value: sample ? `${Math.round(sample.cores / 10)} % of ${h.cores}` : `${h.cores}, no sample` },
			{
				name: 'memory',
				value: sample
					? `${Math.round(sample.memory / 10)} % of ${Math.round(h.memory / 1e9)} GB`
					: `${Math.round(h.memory / 1e9)} GB`
			},
			...(h.gpus
				? [
						{
							name: 'GPUs',
							value: sample && sample.gpu >= 0 ? `${Math.round(sample.gpu / 10)} % of ${h.gpus}` : String(h.gpus)
						}
					]
				: [])
		],
		facts: sample
			? [
					{
						words: `${Math.round(sample.cores / 10)} % of its cores are asked for${average}${sample.cores > 900 ? ': machines on it wait for one another' : ''}`,
						side: sample.cores > 900 ? 'against' : undefined,
						source: 'measured'
					}
				]
			: [{ words: 'it gives no samples: it is down', side: 'against', source: 'measured' }],
		actions: [],
		sections: [
			{
				kind: 'lines',
				title: 'Machines on it',
				lines: machines.slice(0, 40).map((m) => ({
					words: m.name,
					card: `machine/${m.name}`,
					note: m.strain === null ? m.state : `${m.state}, strain ${m.strain}`
				}))
			}
		]
	};
}

export async function volumeCard(ctx: Context, id: string, { at }: Then): Promise<Card | null> {
	const v = one<{ size: number; iops: number; site: string; site_id: string }>(
		ctx.db,
		'SELECT v.*, s.name AS site FROM volumes v JOIN sites s ON s.id = v.site_id WHERE v.id = ?',
		[id]
	);
	if (!v) return null;
	const used = (await ctx.providers.compute.volumes()).find((x) => x.id === id)?.used ?? 0;
	const machines = one<{ n: number }>(
		ctx.db,
		`SELECT count(*) AS n FROM machine_spots WHERE volume_id = ? AND ${asOf('machine_spots', '?')}`,
		[id, at, at]
	)!.n;
	const larger = Math.ceil(v.size * 1.25);
	return {
		kind: 'volume',
		id,
		title: id,
		sub: `${Math.round((100 * used) / v.size)} % full now`,
		rows: [
			{ name: 'site', value: v.site, scope: `site:${v.site_id}` },
			{ name: 'used now', value: `${(used / 1e12).toFixed(1)} of ${(v.size / 1e12).toFixed(1)} TB` },
			{ name: 'machines on it', value: String(machines) }
		],
		facts: [
			{
				words: `${Math.round((100 * used) / v.size)} % of it is in use`,
				source: 'compute provider',
				side: used / v.size > 0.9 ? 'against' : undefined
			}
		],
		actions: [
			{
				words: `Extend it to ${sizeWords(larger)}`,
				kind: 'volume.extend',
				input: { volume: id, size: larger },
				main: used / v.size > 0.9
			}
		],
		sections: []
	};
}

export async function networkCard(ctx: Context, id: string, { at }: Then): Promise<Card | null> {
	const network = networkById(ctx.db, id);
	const leases = await leasesOf(ctx, id);
	if (!network || !leases) return null;
	const end = rangeEnds(network.range).last;
	const machines = one<{ n: number }>(
		ctx.db,
		`SELECT count(*) AS n FROM machines m JOIN pools p ON p.id = m.pool_id AND ${asOf('pools p')}
		 WHERE p.network_id = @id AND ${asOf('machines m')}`,
		{ id, at }
	)!.n;
	return {
		kind: 'network',
		id,
		title: id,
		sub: `${countWords(leases.free, 'free address', 'free addresses')} now`,
		rows: [
			{
				name: 'site',
				value: sitesOf(ctx.db).find((s) => s.id === network.site_id)?.name ?? network.site_id,
				scope: `site:${network.site_id}`
			},
			{ name: 'range', value: network.range },
			{ name: 'leases', value: `${addressText(network.first)} to ${addressText(network.last)}` },
			{ name: 'leased now', value: `${leases.size - leases.free} of ${leases.size}` },
			{ name: 'machines on it', value: String(machines) }
		],
		facts: [
			{ words: `${countWords(leases.held, 'lease is', 'leases are')} held by machines of ours`, source: 'network' },
			...(leases.stale > 0
				? [
						{
							words: `${countWords(leases.stale, 'lease is', 'leases are')} held by no machine that is there`,
							side: 'against' as const,
							source: 'network'
						}
					]
				: [])
		],
		actions: [
			...(leases.stale > 0
				? [
						{
							words: `Release ${countWords(leases.stale, 'lease')}`,
							kind: 'network.release',
							input: { network: id },
							main: true
						}
					]
				: []),
			...(end > network.last
				? [
						{
							words: `Lease ${end - network.last} more`,
							kind: 'network.set-range',
							input: { network: id, last: addressText(end) }
						}
					]
				: [])
		],
		sections: []
	};
}
