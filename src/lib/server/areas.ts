import { manifest as network } from './network';
import { manifest as estate } from './estate';
import { manifest as watch } from './watch';
import { manifest as directory } from './directory';
import { manifest as scim } from './scim';
import { manifest as pools } from './pools';
import { manifest as publications } from './publications';
import { manifest as images } from './images';
import { manifest as joining } from './joining';
import { manifest as capacity } from './capacity';
import { manifest as packages } from './packages';
import { manifest as publishing } from './publishing';
import { manifest as access } from './access';
import { manifest as endpoints } from './endpoints';
import { manifest as people } from './people';
import { manifest as settings } from './settings';
import { manifest as shelf } from './shelf';
import { manifest as machines } from './machines';
import { manifest as diagnosis } from './diagnosis';
import { manifest as operators } from './operators';
import { manifest as schedules } from './schedules';
import { manifest as reach } from './reach';
import { manifest as activity } from './activity';
import { manifest as portal } from './portal';
import { manifest as first } from './first';
import { manifest as notes } from './notes';
import { manifest as record } from './record';
import { manifest as reports } from './reports';
import { changeCard } from './changes/card';
import { declareSteps } from './jobs/catalogue';
import type { Manifest } from './manifest';
import { declarePlans } from './plans/catalogue';
import { declareCards, type CardOf } from './things/catalogue';

/** Every area, each below those that stand on it: who adds one adds a line here. */
export const AREAS: readonly Manifest[] = [
	network,
	estate,
	watch,
	directory,
	endpoints,
	scim,
	pools,
	publications,
	images,
	joining,
	capacity,
	packages,
	publishing,
	access,
	shelf,
	machines,
	diagnosis,
	operators,
	schedules,
	people,
	settings,
	reach,
	activity,
	portal,
	first,
	notes,
	record,
	reports
];

/** Every kind of change that there is. */
export const PLAN_KINDS = AREAS.flatMap((a) => a.plans ?? []);

/** Every kind of step, by name. */
export const STEP_HANDLERS = Object.assign({}, ...AREAS.map((a) => a.steps ?? {})) as NonNullable<Manifest['steps']>;

declarePlans(PLAN_KINDS);
declareSteps(STEP_HANDLERS);
declareCards(new Map<string, CardOf>([['change', changeCard], ...AREAS.flatMap((a) => Object.entries(a.cards ?? {}))]));
