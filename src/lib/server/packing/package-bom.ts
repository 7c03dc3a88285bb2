import { Enums, Models, Serialize, Spec } from '@cyclonedx/cyclonedx-library';
import type { Contents, PackageSpec } from '$lib/core/packages/spec';

/** What a package is made of, as a CycloneDX bill of materials (JSON, specification 1.6): each file with its SHA-256. */
export function packageBom(spec: PackageSpec, contents: Contents): string {
	const root = new Models.Component(Enums.ComponentType.Application, spec.name, {
		version: spec.version,
		bomRef: `${spec.name}@${spec.version}`,
		...(spec.note ? { description: spec.note } : {})
	});
	const bom = new Models.Bom({
		metadata: new Models.Metadata({ component: root, timestamp: new Date(spec.capturedAt) })
	});
	for (const f of contents.files) {
		if (f.kind !== 'file') continue;
		const part = new Models.Component(Enums.ComponentType.File, f.file, {
			bomRef: f.file,
			hashes: new Models.HashDictionary([[Enums.HashAlgorithm['SHA-256'], f.sha256!]])
		});
		bom.components.add(part);
	}
	return new Serialize.JsonSerializer(new Serialize.JSON.Normalize.Factory(Spec.Spec1dot6)).serialize(bom, {
		sortLists: false,
		space: 1
	});
}
