/** What a browser is called, and what it runs on, in a few words: as its person would say it. Empty where it does not say. */
export function browserOf(request: Request): string {
	const agent = request.headers.get('user-agent')?.slice(0, 400) ?? '';
	const name = NAMES.find(([sign]) => agent.includes(sign))?.[1];
	const system = SYSTEMS.find(([sign]) => agent.includes(sign))?.[1];
	return [name, system].filter(Boolean).join(' on ');
}

/** By engine, not by make: in the order in which one claims to be another. */
const NAMES: readonly [sign: string, name: string][] = [
	['Gecko/', 'a Gecko browser'],
	['Chrome/', 'a Chromium browser'],
	['AppleWebKit/', 'a WebKit browser'],
	['curl/', 'curl']
];
const SYSTEMS: readonly [sign: string, name: string][] = [
	['Android', 'Android'],
	['iPhone', 'iOS'],
	['iPad', 'iPadOS'],
	['Windows', 'Windows'],
	['Mac OS', 'macOS'],
	['Linux', 'Linux']
];
