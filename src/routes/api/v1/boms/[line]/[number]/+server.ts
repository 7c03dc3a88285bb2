import { text } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { billOfMaterials, lineAt } from '$lib/server/images';
import { askedOf } from '$lib/server/api/asked';
import { asKnown } from '$lib/server/moment';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

/** The contents of a version as CycloneDX. */
export const GET = ({ params, url }) =>
	answer(() => {
		const { db } = runtime();
		const line = lineAt(db, params.line, asKnown(askedOf(url, runtime())));
		const version = line?.versions.find((v) => v.number === params.number);
		if (!line || !version) throw new NotFound(`version ${params.line} ${params.number}`);
		return text(billOfMaterials(version, line.system), {
			headers: {
				'content-type': 'application/vnd.cyclonedx+json; version=1.6',
				'content-disposition': `attachment; filename="${params.line}-${params.number}.cdx.json"`
			}
		});
	});
