import { randomUUID } from 'node:crypto';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { receiveUpload } from '$lib/server/packing/packer';
import { packagesAt } from '$lib/server/packages';
import { InputProblem } from '$lib/server/plans/kind';
import { ProviderError } from '$lib/server/providers';
import { runtime } from '$lib/server/runtime';

/** A package that is uploaded may be this large, bytes. */
const MOST = 8e9;

/** Packages with their versions, in the order in which they win where they clash. */
export const GET = () => answer(() => json({ rows: packagesAt(runtime().db, runtime().clock.now()) }));

/**
 * Takes a package up as one tar (an OCI image layout) and checks every digest of it. What is not whole or not safe is refused,
 * and nothing of it is kept. It is there for others once the plan `package.import` is committed, with the manifest that this
 * answers with.
 */
export const POST = ({ request }) =>
	answer(async () => {
		const { packer, dataDir } = runtime();
		if (!request.body)
			throw new InputProblem([
				{ field: 'file', words: 'Send the package as the body, with a content type such as application/x-tar.' }
			]);
		const path = join(dataDir, 'uploads', `${randomUUID()}.tar`);
		try {
			await receiveUpload(request.body, path, MOST);
			return json(await packer.packages.take(path), { status: 201 });
		} catch (e) {
			if (e instanceof ProviderError)
				throw new InputProblem([{ field: 'file', words: `It is refused: ${e.message}.` }]);
			throw e;
		} finally {
			rmSync(path, { force: true });
		}
	});
