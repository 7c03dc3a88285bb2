/** Faults that the lab bench offers, in words, with what to name as the place. */
export const FAULTS = [
	{ kind: 'agent-stopped', words: 'the agent of a machine stops', hint: 'machine: bgo-br-010' },
	{ kind: 'machine-hangs', words: 'a machine hangs', hint: 'machine: bgo-br-010' },
	{ kind: 'host-down', words: 'a host goes down', hint: 'host: hfx-h02' },
	{ kind: 'gateway-port', words: 'a gateway announces a wrong port', hint: 'gateway/protocol: bgo-gw-1/stream' },
	{ kind: 'directory-slow', words: 'the directory of a site is slow', hint: 'site: bergen' },
	{ kind: 'runaway', words: 'a process runs away', hint: 'machine: bgo-br-010' },
	{ kind: 'volume-full', words: 'a volume is nearly full', hint: 'volume: bgo-v1' },
	{ kind: 'range-used-up', words: 'a network’s range is used up', hint: 'network: bgo-desks' },
	{ kind: 'trust-lost', words: 'the directory no longer trusts a machine', hint: 'machine: bgo-br-010' },
	{ kind: 'build-step-fails', words: 'a build step fails', hint: 'words of the step: Install Paperlane' }
] as const;
