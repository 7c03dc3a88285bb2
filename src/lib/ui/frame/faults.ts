import type { FAULT_KINDS } from '$lib/core/estate/schema';

/** Faults that the lab bench offers, in words, with what to name as the place. */
export const FAULTS: { kind: (typeof FAULT_KINDS)[number]; words: string; hint: string }[] = [
	{ kind: 'agent-stopped', words: 'the agent of a machine stops', hint: 'machine: bgo-br-010' },
	{ kind: 'machine-hangs', words: 'a machine hangs', hint: 'machine: bgo-br-010' },
	{ kind: 'host-down', words: 'a host goes down', hint: 'host: hfx-h02' },
	{ kind: 'gateway-port', words: 'a gateway announces a wrong port', hint: 'gateway/protocol: bgo-gw-1/stream' },
	{ kind: 'directory-slow', words: 'the directory of a site is slow', hint: 'site: bergen' },
	{ kind: 'runaway', words: 'a process runs away', hint: 'machine: bgo-br-010' },
	{ kind: 'volume-full', words: 'a volume is nearly full', hint: 'volume: bgo-v1' },
	{ kind: 'range-used-up', words: 'a network’s range is used up', hint: 'network: bgo-desks' },
	{ kind: 'trust-lost', words: 'the directory no longer trusts a machine', hint: 'machine: bgo-br-010' },
	{ kind: 'build-step-fails', words: 'a build step fails', hint: 'words of the step: Install Paperlane' },
	{ kind: 'right-taken', words: 'the builder’s account loses a right', hint: 'right: staging' },
	{ kind: 'link-down', words: 'a link goes down', hint: 'site/site: bergen/petrel' },
	{ kind: 'provider-silent', words: 'the compute provider of a site is silent', hint: 'site: hobart' },
	{ kind: 'directory-silent', words: 'the directory does not answer at a site', hint: 'site: hobart' },
	{ kind: 'names-wrong', words: 'names resolve wrongly at a site', hint: 'site: hobart' },
	{ kind: 'clock-off', words: 'the clocks of a site are 7 minutes off', hint: 'site: hobart' },
	{ kind: 'join-refused', words: 'no accounts may be made in a folder', hint: 'folder: desks/hobart' },
	{ kind: 'boot-server-down', words: 'a boot server goes down', hint: 'boot server: bgo-boot-1' },
	{ kind: 'disk-full', words: 'the disk of a machine is full', hint: 'machine: bgo-br-010' },
	{ kind: 'package-store-down', words: 'the package store of a site is silent', hint: 'site: halifax' }
];
