import { text } from '@sveltejs/kit';
import { writeSheet } from '$lib/core/images/sheet-text';
import { answer } from '$lib/server/api/problems';
import { sheetAt } from '$lib/server/images';
import { askedOf } from '$lib/server/api/asked';
import { asKnown } from '$lib/server/moment';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

/** The build sheet of a line as a file. */
export const GET = ({ params, url }) =>
	answer(() => {
		const { db } = runtime();
		const sheet = sheetAt(db, params.line, asKnown(askedOf(url, runtime())));
		if (!sheet) throw new NotFound(`image line called ${params.line}`);
		return text(writeSheet(sheet), {
			headers: {
				'content-type': 'application/yaml; charset=utf-8',
				'content-disposition': `inline; filename="${params.line}.yaml"`
			}
		});
	});
