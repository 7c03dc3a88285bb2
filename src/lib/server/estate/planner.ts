import * as v from 'valibot';
import { addressNumber, addressText, isAddress, rangeEnds } from '$lib/core/network/addresses';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, FOREVER, GB, SECOND, sizeWords, TB } from '$lib/core/time/units';
import { all, one } from '../db';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { setHolidays } from './holidays';
import { leasesOf, networkById } from './queries';

const extendVolume = planKind({
	kind: 'volume.extend',
	words: 'Make a volume larger',
	area: 'capacity',
	undo: 'never',
	schema: v.strictObject({
		volume: v.pipe(v.string(), v.nonEmpty('Choose a volume.')),
		size: v.pipe(
			v.number('Write a size.'),
			v.integer('Write whole bytes.'),
			v.minValue(GB, 'At least 1 GB.'),
			v.maxValue(1000 * TB, 'At most 1,000 TB.')
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const row = one<{ size: number; price_tb_month: number }>(ctx.db, 'SELECT * FROM volumes WHERE id = ?', [
			input.volume
		]);
		const facts = (await ctx.providers.compute.volumes()).find((x) => x.id === input.volume);
		if (!row || !facts)
			throw new InputProblem([{ field: 'volume', words: `There is no volume called ${input.volume}.` }]);
		if (input.size <= facts.size)
			throw new InputProblem([
				{ field: 'size', words: `It has ${sizeWords(facts.size)} already; a volume grows, and does not shrink.` }
			]);
		const { people } = one<{ people: number }>(
			ctx.db,
			`SELECT count(DISTINCT s.person_id) AS people FROM sessions s
			 JOIN machine_spots p ON p.machine_id = s.machine_id AND p.until = ${FOREVER} WHERE s.until = ${FOREVER} AND p.volume_id = ?`,
			[input.volume]
		)!;
		const share = (size: number) => `${Math.round((100 * facts.used) / size)} %`;
		const cost = (size: number) => Math.round((size / TB) * row.price_tb_month);
		return {
			title: `Extend volume ${input.volume} to ${sizeWords(input.size)}`,
			effects: {
				...noEffects(),
				duration: { middle: 25 * SECOND, ninety: 40 * SECOND },
				cost: { before: cost(facts.size), after: cost(input.size) }
			},
			warnings: [],
			blocks: [],
			reasons: [
				{
					words: `${sizeWords(facts.used)} of ${sizeWords(facts.size)} in use: ${share(facts.size)}`,
					source: 'compute provider'
				},
				{ words: `of ${sizeWords(input.size)} it would be ${share(input.size)}`, side: 'for' },
				{
					words: `machines on it run on meanwhile; ${countWords(people, 'person', 'people')} on them notice nothing`,
					source: 'compute provider'
				}
			],
			objects: [`volume/${input.volume}`],
			steps: [{ kind: 'volume.extend', words: `Extend it to ${sizeWords(input.size)}`, input, expected: 25 * SECOND }],
			undo: null,
			undoWords: 'No: a volume can grow, but not shrink.'
		};
	}
});

const networkId = v.pipe(v.string(), v.nonEmpty('Choose a network.'));

const releaseLeases = planKind({
	kind: 'network.release',
	words: 'Release the leases of a network that no machine holds',
	area: 'network',
	undo: 'never',
	schema: v.strictObject({ network: networkId }),
	async draft(ctx, input): Promise<Draft> {
		const leases = await leasesOf(ctx, input.network);
		if (!leases) throw new InputProblem([{ field: 'network', words: `There is no network called ${input.network}.` }]);
		return {
			title: `Release ${countWords(leases.stale, 'lease')} of ${input.network} that no machine holds`,
			effects: { ...noEffects(), duration: { middle: 6 * SECOND, ninety: 10 * SECOND } },
			warnings: [],
			blocks: leases.stale === 0 ? [{ words: 'every lease is held by a machine', side: 'against' }] : [],
			reasons: [
				{ words: `${leases.size - leases.free} of ${leases.size} addresses are leased`, source: 'network' },
				{ words: `${countWords(leases.held, 'machine')} of ours hold one each`, source: 'compute provider' },
				{ words: 'machines that are there keep theirs', source: 'network' }
			],
			objects: [`network/${input.network}`],
			steps: [{ kind: 'network.release', words: 'Release the leases', input, expected: 6 * SECOND }],
			undo: null,
			undoWords: 'No, and nothing is lost: nobody holds them.'
		};
	}
});

const setRange = planKind({
	kind: 'network.set-range',
	words: 'Set the last address that a network leases',
	area: 'network',
	undo: 'back',
	schema: v.strictObject({
		network: networkId,
		last: v.pipe(v.string(), v.trim(), v.check(isAddress, 'Write an address such as 10.21.3.250.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const network = networkById(ctx.db, input.network);
		if (!network) throw new InputProblem([{ field: 'network', words: `There is no network called ${input.network}.` }]);
		const range = rangeEnds(network.range);
		const last = addressNumber(input.last);
		if (last < network.first || last > range.last)
			throw new InputProblem([
				{
					field: 'last',
					words: `Choose an address from ${addressText(network.first)} to ${addressText(range.last)}: ${network.range} holds no others.`
				}
			]);
		const leases = (await leasesOf(ctx, input.network))!;
		const size = last - network.first + 1;
		const beyond = all<{ name: string; address: string }>(
			ctx.db,
			`SELECT m.name, p.address FROM machine_spots p JOIN machines m ON m.id = p.machine_id JOIN pools po ON po.id = m.pool_id AND po.until = ${FOREVER}
			 WHERE p.until = ${FOREVER} AND m.until = ${FOREVER} AND po.network_id = ?`,
			[input.network]
		).filter((m) => addressNumber(m.address) > last);
		return {
			title: `Let ${input.network} lease up to ${input.last}`,
			effects: { ...noEffects(), duration: { middle: 4 * SECOND, ninety: 8 * SECOND } },
			warnings: [],
			blocks: [
				...(last === network.last ? [{ words: 'it does so already', side: 'against' as const }] : []),
				...beyond
					.slice(0, 6)
					.map((m) => ({ words: `${m.name} has ${m.address}, which lies beyond`, side: 'against' as const }))
			],
			reasons: [
				{ words: `${leases.size - leases.free} of ${leases.size} addresses are leased`, source: 'network' },
				{
					words: `there would be ${countWords(size, 'address', 'addresses')}`,
					side: size > leases.size ? 'for' : undefined
				}
			],
			objects: [`network/${input.network}`],
			steps: [{ kind: 'network.set-range', words: `Lease up to ${input.last}`, input, expected: 4 * SECOND }],
			undo: { kind: 'network.set-range', input: { network: input.network, last: addressText(network.last) } },
			undoWords: 'Yes, as long as no machine has one of the new addresses.'
		};
	}
});

export const estatePlans = [extendVolume, releaseLeases, setRange, setHolidays];
