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
import type * as v from 'valibot';
import type { PlanKind } from './kind';

const kinds = [
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

/** Every kind of change that there is. */
export const PLAN_KINDS = kinds as unknown as PlanKind[];

type Kind = (typeof kinds)[number];
export type PlanName = Kind['kind'];
/** What a plan of a kind takes. */
export type PlanInput<K extends PlanName> = v.InferInput<Extract<Kind, { kind: K }>['schema']>;

const byKind = new Map(PLAN_KINDS.map((k) => [k.kind, k]));

/** The kind of plan with this name, or undefined. */
export const planKindOf = (kind: string): PlanKind | undefined => byKind.get(kind);
