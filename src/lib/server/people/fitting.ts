import { demandOf, fitDesks, type Demand, type Desk } from '$lib/core/people/fit';
import { DAY, HOUR } from '$lib/core/time/units';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { homeTeam, siteOf } from '../moment/people-sql';
import { poolsAt } from '../pools';
import { samplesBetween } from '../samples/read';
import { poolCounts } from '../watch';
import { freeMachines } from './desks';

/** So long peers are looked back at, ms, so many of them, and so many of their sessions each. */
const BACK = 14 * DAY;
const PEERS = 40;
const EACH = 6;
const HOURS_A_MONTH = 730;

/** What some people's work asked for, by the samples of the machines that they were on: of a machine that several share their even part of it. */
export function demandsOf(db: Db, people: readonly number[], at: number): Demand[] {
	return people.flatMap((id): Demand[] => {
		const samples = all<{ machine: number; since: number; until: number; cores: number; memory: number; gpus: number }>(
			db,
			`SELECT s.machine_id AS machine, s.since, min(s.until, @at) AS until, p.cores, p.memory, p.gpus FROM sessions s JOIN machines m ON m.id = s.machine_id
			 JOIN pools p ON p.id = m.pool_id AND ${asOf('pools p')} WHERE s.person_id = @id AND s.since > @from AND s.since <= @at AND s.until - s.since > ${HOUR} ORDER BY s.since DESC LIMIT ${EACH}`,
			{ id, at, from: at - BACK }
		).flatMap((s) =>
			samplesBetween(db, 'machine', s.machine, s.since, s.until).rows.flatMap((r): Demand[] => {
				const among = Math.max(1, r.sessions ?? 0);
				return r.cores! < 0 || r.memory! < 0
					? []
					: [
							{
								cores: ((r.cores! / 1000) * s.cores) / among,
								memory: ((r.memory! / 1000) * s.memory) / among,
								gpus: r.gpu! < 0 ? 0 : ((r.gpu! / 1000) * s.gpus) / among
							}
						];
			})
		);
		const demand = demandOf(samples);
		return demand ? [demand] : [];
	});
}

/** People of the same home team and site who have worked lately: those that somebody is measured by; of the team anywhere, where the site has too few. */
function peersOf(db: Db, team: string, site: string, at: number): { ids: number[]; where: 'site' | 'team' } {
	const peers = (here: boolean) =>
		all<{ id: number }>(
			db,
			`SELECT p.id FROM people p WHERE ${homeTeam('p.id')} = @team ${here ? `AND ${siteOf('p.id')} = @site` : ''}
			 AND EXISTS (SELECT 1 FROM sessions s WHERE s.person_id = p.id AND s.since > @from AND s.since <= @at) ORDER BY p.id LIMIT ${PEERS}`,
			{ team, site, at, from: at - BACK }
		).map((p) => p.id);
	const near = peers(true);
	return near.length >= 5 ? { ids: near, where: 'site' } : { ids: peers(false), where: 'team' };
}

/** Which of the desks at a site fits somebody of a team, from what their peers really use. */
export function fitFor(db: Db, { team, site, at }: { team: string; site: string; at: number }) {
	const counts = poolCounts(db, at);
	const pools = poolsAt(db, at).filter((p) => p.site === site);
	const upHours = new Map(
		all<{ pool: string; share: number }>(
			db,
			`SELECT m.pool_id AS pool, sum(min(s.until, @at) - max(s.since, @from)) * 1.0 / (@at - @from) / count(DISTINCT m.id) AS share
			 FROM machine_states s JOIN machines m ON m.id = s.machine_id WHERE m.pool_id IN (SELECT value FROM json_each(@pools)) AND s.state NOT IN ('off', 'failed') AND s.until > @from AND s.since < @at GROUP BY m.pool_id`,
			{ at, from: at - BACK, pools: JSON.stringify(pools.map((p) => p.id)) }
		).map((r) => [r.pool, Math.min(1, r.share)])
	);
	const desks = pools.map((p): Desk => ({
		id: p.id,
		name: p.name,
		assignment: p.assignment,
		perMachine: p.perMachine,
		cores: p.cores,
		memory: p.memory,
		gpus: p.gpus,
		month: Math.round((p.priceHour * HOURS_A_MONTH * (upHours.get(p.id) ?? 0.5)) / p.perMachine),
		free:
			p.assignment === 'personal' ? freeMachines(db, p.id, at).length : (counts.get(p.id)?.machines ?? 0) * p.perMachine
	}));
	const { ids, where } = peersOf(db, team, site, at);
	const demands = demandsOf(db, ids, at);
	return { ...fitDesks(demands, desks), peers: demands.length, where };
}
