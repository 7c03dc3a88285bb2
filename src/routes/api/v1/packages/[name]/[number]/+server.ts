import { createReadStream, statSync } from 'node:fs';
import { Readable } from 'node:stream';
import { answer } from '$lib/server/api/problems';
import { packageAt } from '$lib/server/packages';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

/** A package version as one tar that holds an OCI image layout, readable by common tools for such images. */
export const GET = ({ params }) =>
	answer(async () => {
		const { db, clock, packer } = runtime();
		const version = packageAt(db, params.name, clock.now())?.versions.find((x) => x.number === params.number);
		if (!version) throw new NotFound(`package ${params.name} ${params.number}`);
		const path = await packer.packages.write(version.manifest, `${version.name}-${version.number}`);
		return new Response(Readable.toWeb(createReadStream(path)) as ReadableStream, {
			headers: {
				'content-type': 'application/x-tar',
				'content-length': String(statSync(path).size),
				'content-disposition': `attachment; filename="${version.name}-${version.number}.tar"`
			}
		});
	});
