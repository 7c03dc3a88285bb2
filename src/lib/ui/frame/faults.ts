import type { FAULT_KINDS } from '$lib/core/estate/schema';

/** Faults that the lab bench offers, in words, with what to name as its target. */
export const FAULTS: { kind: (typeof FAULT_KINDS)[number]; words: string; hint: string }[] = [
	{ kind: 'agent-stopped', words: 'the agent of a machine stops', hint: 'the name of a machine' },
	{ kind: 'machine-hangs', words: 'a machine hangs', hint: 'the name of a machine' },
	{ kind: 'host-down', words: 'a host goes down', hint: 'the name of a host' },
	{
		kind: 'gateway-port',
		words: 'a gateway announces a wrong port',
		hint: 'gateway/protocol, such as gateway-1/stream'
	},
	{ kind: 'gateway-relay', words: 'a gateway hands out a relay that is gone', hint: 'the name of a gateway' },
	{ kind: 'directory-slow', words: 'the directory of a site is slow', hint: 'a site' },
	{ kind: 'runaway', words: 'a process runs away', hint: 'the name of a machine' },
	{ kind: 'volume-full', words: 'a volume is nearly full', hint: 'the name of a volume' },
	{ kind: 'range-used-up', words: 'a network’s range is used up', hint: 'the name of a network' },
	{ kind: 'trust-lost', words: 'the directory no longer trusts a machine', hint: 'the name of a machine' },
	{ kind: 'build-step-fails', words: 'a build step fails', hint: 'words of the step, such as Install' },
	{ kind: 'right-taken', words: 'the builder’s account loses a right', hint: 'a right, such as staging' },
	{ kind: 'link-down', words: 'a link goes down', hint: 'its two ends: site/site' },
	{ kind: 'provider-silent', words: 'the compute provider of a site is silent', hint: 'a site' },
	{ kind: 'directory-silent', words: 'the directory does not answer at a site', hint: 'a site' },
	{ kind: 'names-wrong', words: 'names resolve wrongly at a site', hint: 'a site' },
	{ kind: 'clock-off', words: 'the clocks of a site are 7 minutes off', hint: 'a site' },
	{ kind: 'join-refused', words: 'no accounts may be made in a folder', hint: 'a folder of the directory' },
	{ kind: 'boot-server-down', words: 'a boot server goes down', hint: 'the name of a boot server' },
	{ kind: 'disk-full', words: 'the disk of a machine is full', hint: 'the name of a machine' },
	{ kind: 'package-store-down', words: 'the package store of a site is silent', hint: 'a site' },
	{ kind: 'calling-untold', words: 'a network tells devices no address to call', hint: 'a site' },
	{ kind: 'calling-unresolved', words: 'the name that devices call does not resolve', hint: 'a site' },
	{ kind: 'door-open', words: 'the door of a site lets devices through that nobody is on', hint: 'a site' },
	{ kind: 'inner-gateway-down', words: 'an inner gateway does not answer', hint: 'the id of an inner gateway' },
	{ kind: 'service-down', words: 'a private service does not answer', hint: 'the id of a private service' },
	{
		kind: 'directory-put-back',
		words: 'the directory is put back from a copy, and forgets what it changed',
		hint: 'a team; value: the share of its people that the copy lacks'
	}
];
