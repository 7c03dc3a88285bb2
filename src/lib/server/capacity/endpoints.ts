import * as v from 'valibot';
import { explained } from '../calls/answers';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { bytes } from '../lists/columns';
import { NotFound } from '../plans';
import { whole } from '../plans/fields';
import { lineAt } from '../images';
import { overlayFor } from './overlays';

export const capacityEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/overlay',
		summary: 'How large the overlay disk of a machine should be, from what a day’s work writes',
		need: read('publishing'),
		query: {
			line: v.pipe(v.string('Name an image line.'), v.description('The image line')),
			perMachine: v.optional(v.pipe(whole(1, 60, 'the sessions'), v.description('Sessions on a machine')), 1),
			keeps: v.optional(v.pipe(whole(1, 365, 'the days'), v.description('Days of work until a reset')), 1),
			pageFile: v.optional(
				v.pipe(
					v.number('Write the page file in bytes.'),
					v.minValue(0, 'Not less than nothing.'),
					v.description('Bytes of the page file')
				),
				0
			),
			pageFileOn: v.optional(v.picklist(['overlay', 'apart'], 'Choose overlay or apart.'), 'overlay')
		},
		answer: explained(bytes),
		handle({ ctx, query: { pageFileOn, ...want } }) {
			if (!lineAt(ctx.db, want.line, ctx.clock.now())) throw new NotFound(`image line called ${want.line}`);
			return overlayFor(ctx, { ...want, pageOnOverlay: pageFileOn === 'overlay' });
		}
	})
];
