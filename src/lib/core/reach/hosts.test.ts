import { describe, expect, test } from 'vitest';
import { serviceHost, servicePorts, targetBehind, targetCalled, type ServiceSpot } from './hosts';

const service = (id: string, hosts: string[], ports: string[], protocol: 'tcp' | 'udp' = 'tcp'): ServiceSpot => ({
	id,
	name: id,
	hosts: hosts.map((h) => serviceHost(h)!),
	ports: ports.map((p) => servicePorts(p)!),
	protocol
});
const SERVICES = [
	service('depths', ['depths.survey.example', '10.21.12.0/28'], ['5432']),
	service('depths-admin', ['depths.survey.example'], ['8443']),
	service('gauges', ['*.gauges.example'], ['2300-2310']),
	service('gauge-9', ['g9.gauges.example'], ['2305']),
	service('times', ['10.21.0.0/16', 'fd00:21::/32'], ['123'], 'udp'),
	service('one', ['10.21.12.7'], ['5432'])
];
const at = (host: string, port: number, protocol: 'tcp' | 'udp' = 'tcp') =>
	targetBehind(SERVICES, { host, port, protocol });

test.each([
	['depths.survey.example', 5432, 'tcp', { kind: 'service', id: 'depths' }],
	['depths.survey.example', 8443, 'tcp', { kind: 'service', id: 'depths-admin' }],
	['depths.survey.example', 22, 'tcp', { kind: 'service', id: null }],
	['10.21.12.4', 5432, 'tcp', { kind: 'service', id: 'depths' }],
	['10.21.12.7', 5432, 'tcp', { kind: 'service', id: 'one' }],
	['10.21.12.4', 5432, 'udp', { kind: 'service', id: null }],
	['fd00:21::9', 123, 'udp', { kind: 'service', id: 'times' }],
	['a.b.gauges.example', 2300, 'tcp', { kind: 'service', id: 'gauges' }],
	['g9.gauges.example', 2305, 'tcp', { kind: 'service', id: 'gauge-9' }],
	['g9.gauges.example', 2304, 'tcp', { kind: 'service', id: 'gauges' }],
	['gauges.example', 2300, 'tcp', { kind: 'site', host: 'gauges.example' }],
	['10.99.0.1', 80, 'tcp', { kind: 'service', id: null }],
	['8.8.4.4', 80, 'tcp', null]
] as const)('behind %s:%i (%s) stands %j', (host, port, protocol, target) =>
	expect(at(host, port, protocol)).toEqual(target)
);

describe('what somebody writes', () => {
	test.each([
		['Depths.Survey.Example:5432', { kind: 'service', id: 'depths' }],
		[' g9.gauges.example:2305 ', { kind: 'service', id: 'gauge-9' }],
		['[fd00:21:0::9]:80', { kind: 'service', id: null }],
		['fd00:21::9', { kind: 'service', id: 'times' }],
		['https://depths.survey.example:8443/login?next=%2F', { kind: 'service', id: 'depths-admin' }],
		['https://Tides.example/today', { kind: 'site', host: 'tides.example' }],
		['http://tides.example', { kind: 'site', host: 'tides.example' }],
		['bücher.example', { kind: 'site', host: 'xn--bcher-kva.example' }],
		['b.gauges.example', { kind: 'service', id: 'gauges' }]
	] as const)('%j means %j', (text, target) => expect(targetCalled(text, SERVICES)).toEqual(target));

	test.each([
		['', /Write the name of a host/],
		['depths.survey.example', /^Say the port as well: depths at 5432; depths-admin at 8443\.$/],
		['tides.example:0', /from 1 to 65535/],
		['tides.example:70000', /from 1 to 65535/],
		['8.8.4.4', /by their names/],
		['a b.example', /no name of a host/],
		['https://', /no address of a page/],
		['x'.repeat(3000), /Write the name of a host/],
		['fe80::1%eth0', /no name of a host/]
	] as const)('%j is refused', (text, words) =>
		expect(targetCalled(text, SERVICES)).toEqual({ wrong: expect.stringMatching(words) as string })
	);
});
