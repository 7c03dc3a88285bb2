import { accessPlans } from '../access/planner';
import { capacityPlans } from '../capacity/planner';
import { repairPlans } from '../diagnosis/planner';
import { placePlans } from '../network/planner';
import { identityPlans } from '../identity/planner';
import { imagePlans } from '../images/planner';
import { machinePlans } from '../publishing/machine-plans';
import { packageAreaPlans } from '../packages/planner';
import { publishingPlans } from '../publishing/planner';
import { resourcePlans } from '../resources/planner';
import { schedulePlans } from '../schedules/planner';
import { shelfPlans } from '../shelf/planner';
import { sessionPlans } from '../watch/planner';
import type { PlanKind } from './kind';

/** Every kind of change that there is. */
export const PLAN_KINDS: PlanKind[] = [
	...imagePlans,
	...publishingPlans,
	...machinePlans,
	...packageAreaPlans,
	...accessPlans,
	...shelfPlans,
	...capacityPlans,
	...sessionPlans,
	...repairPlans,
	...resourcePlans,
	...placePlans,
	...identityPlans,
	...schedulePlans
];

const byKind = new Map(PLAN_KINDS.map((k) => [k.kind, k]));

/** The kind of plan with this name, or undefined. */
export const planKindOf = (kind: string): PlanKind | undefined => byKind.get(kind);
