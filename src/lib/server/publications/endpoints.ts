import * as v from 'valibot';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { draft } from '../calls/need';
import { text } from '../lists/columns';
import { InputProblem } from '../plans/kind';
import { keepIcon } from './icons';

export const publicationEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'POST',
		path: '/icons',
		summary: 'Take a picture up (PNG, JPEG or SVG, at most 256 KB), to be named as the icon of a publication',
		need: draft('publishing'),
		work: 'here',
		body: { stream: 'image/*' },
		status: 201,
		answer: v.strictObject({ icon: text }),
		async handle({ ctx, request }) {
			const kept = keepIcon(ctx.db, new Uint8Array(await request.arrayBuffer()));
			if ('problem' in kept) throw new InputProblem([{ field: 'icon', words: kept.problem }]);
			return kept;
		}
	})
];
