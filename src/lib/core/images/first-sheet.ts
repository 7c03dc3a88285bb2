import { GB, HOUR, MINUTE } from '../time/units';
import { kindOf } from './library/kinds';
import { makeStep, type BuildSheet, type StockSystem, type StorePackage } from './sheet';

/** So much room a builder's disk has beyond what its system needs, for updates and programs. */
const ROOM = 1.25;
/** A build that takes longer than this many times what is assumed of it has gone wrong. */
const PATIENCE = 2;

/**
 * The build sheet of a line that begins with a stock system: what every version needs, in the order that is right, and with it the profile
 * disk client where the store has one. `disk` and `limit` follow from the system and from what its steps are assumed to take.
 */
export function firstSheet(stock: StockSystem, packages: readonly StorePackage[]): BuildSheet {
	const steps = [
		makeStep('source', { from: 'stock', system: stock.id }),
		...(stock.users === 'multi' ? [makeStep('role', { role: 'session host' })] : []),
		makeStep('updates'),
		...(packages.some((p) => p.name === 'profile disk client') ? [makeStep('profile client')] : []),
		makeStep('agent'),
		makeStep('seal')
	];
	const assumed = steps.reduce((n, s) => n + (kindOf(s.kind)?.usual ?? 10 * MINUTE), 0);
	return {
		steps,
		limit: Math.ceil((assumed * PATIENCE) / HOUR) * HOUR,
		builder: {
			cores: 4,
			memory: 16 * GB,
			disk: Math.ceil((stock.leastDisk * ROOM) / (10 * GB)) * 10 * GB,
			generation: stock.generation
		}
	};
}
