import type { VersionRow } from './queries';

/** What a version is made of, as a CycloneDX bill of materials (JSON, specification 1.6). */
export async function billOfMaterials(version: VersionRow, system: string): Promise<string> {
	// Asked for now and then: what starts does not wait for it.
	const { Enums, Models, Serialize, Spec } = await import('@cyclonedx/cyclonedx-library');
	const root = new Models.Component(Enums.ComponentType.OperatingSystem, version.line, {
		version: version.number,
		bomRef: `${version.line}@${version.number}`,
		description: version.note || system
	});
	const bom = new Models.Bom({
		metadata: new Models.Metadata({ component: root, timestamp: new Date(version.builtAt) })
	});
	for (const c of version.contents) {
		const part = new Models.Component(
			system.startsWith(c.name) ? Enums.ComponentType.OperatingSystem : Enums.ComponentType.Application,
			c.name,
			{
				version: c.version,
				bomRef: `${c.name}@${c.version}`,
				properties: new Models.PropertyRepository([new Models.Property('sextant:bytes', String(c.size))])
			}
		);
		bom.components.add(part);
		root.dependencies.add(part.bomRef);
	}
	return new Serialize.JsonSerializer(new Serialize.JSON.Normalize.Factory(Spec.Spec1dot6)).serialize(bom, {
		sortLists: true,
		space: 2
	});
}
