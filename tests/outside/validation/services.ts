import { good, type Row, type Section } from './table';

const of = (name: string, rows: readonly Row[], at = 'spec'): Section => ({ of: name, base: good.Service, at, rows });
const port = (one: object): Row[0] => ({ ports: [{ port: 7110, ...one }] });
const policy = (one: object): Row[0] => ({ ingress: [one] });

export const services: readonly Section[] = [
  of('ServicePort v1 core', [
    [port({})],
    [port({ name: 'a-b' })],
    [port({ name: 'Sql' }), 'ports[0].name'],
    [port({ port: 0 }), 'ports[0].port'],
    [port({ port: 65_536 }), 'ports[0].port'],
    [port({ protocol: 'ICMP' }), 'ports[0].protocol'],
    [port({ targetPort: 'sql' })],
    [port({ targetPort: 'much-too-long-a-name' }), 'ports[0].targetPort'],
    [port({ targetPort: 65_536 }), 'ports[0].targetPort'],
    [{ ports: [{ port: 1 }, { port: 2, name: 'b' }] }, 'ports[0].name'],
    [
      {
        ports: [
          { port: 1, name: 'a' },
          { port: 2, name: 'a' }
        ]
      },
      'ports[1]'
    ],
    [
      {
        ports: [
          { port: 1, name: 'a' },
          { port: 1, name: 'b' }
        ]
      },
      'ports[1]'
    ],
    [
      {
        ports: [
          { port: 1, name: 'a' },
          { port: 1, name: 'b', protocol: 'UDP' }
        ]
      }
    ],
    [port({ nodePort: 30_010 }), 'ports[0].nodePort'],
    [{ type: 'NodePort', ports: [{ port: 7110, nodePort: 30_010 }] }],
    [{ type: 'NodePort', ports: [{ port: 7110, nodePort: 80 }] }, 'ports[0].nodePort'],
    [
      {
        type: 'NodePort',
        ports: [
          { port: 1, name: 'a', nodePort: 30_010 },
          { port: 2, name: 'b', nodePort: 30_010 }
        ]
      },
      'ports[1]'
    ],
    [port({ appProtocol: 'example.test/sql' })],
    [port({ appProtocol: 'a b' }), 'ports[0].appProtocol']
  ]),
  of('ServiceSpec v1 core; "Service"', [
    [{ ports: undefined }, 'ports'],
    [{ ports: [] }, 'ports'],
    [{ ports: undefined, clusterIP: 'None' }],
    [{ type: 'Headless' }, 'type'],
    [{ type: 'ExternalName', externalName: 'files.example.test', ports: undefined }],
    [{ type: 'ExternalName', ports: undefined }, 'externalName'],
    [{ type: 'ExternalName', externalName: 'a_b', ports: undefined }, 'externalName'],
    [{ type: 'ExternalName', externalName: 'a.test', clusterIP: '10.4.0.9', ports: undefined }, 'clusterIP'],
    [{ type: 'LoadBalancer', clusterIP: 'None' }, 'clusterIP'],
    [{ type: 'NodePort', clusterIP: 'None' }, 'clusterIP'],
    [{ clusterIP: '10.4.0.9' }],
    [{ clusterIP: '10.4.0' }, 'clusterIP'],
    [{ clusterIPs: ['10.4.0.9'], clusterIP: '10.4.0.8' }, 'clusterIPs[0]'],
    [{ selector: { app: 'a b' } }, 'selector.app'],
    [{ sessionAffinity: 'ClientIP', sessionAffinityConfig: { clientIP: { timeoutSeconds: 600 } } }],
    [
      { sessionAffinity: 'ClientIP', sessionAffinityConfig: { clientIP: { timeoutSeconds: 0 } } },
      'sessionAffinityConfig.clientIP.timeoutSeconds'
    ],
    [
      { sessionAffinity: 'ClientIP', sessionAffinityConfig: { clientIP: { timeoutSeconds: 86_401 } } },
      'sessionAffinityConfig.clientIP.timeoutSeconds'
    ],
    [{ sessionAffinityConfig: { clientIP: { timeoutSeconds: 600 } } }, 'sessionAffinityConfig'],
    [{ sessionAffinity: 'Sticky' }, 'sessionAffinity'],
    [{ externalTrafficPolicy: 'Local' }, 'externalTrafficPolicy'],
    [{ type: 'LoadBalancer', externalTrafficPolicy: 'Local' }],
    [{ type: 'LoadBalancer', externalTrafficPolicy: 'Near' }, 'externalTrafficPolicy'],
    [{ internalTrafficPolicy: 'Local' }],
    [{ internalTrafficPolicy: 'Near' }, 'internalTrafficPolicy'],
    [{ type: 'LoadBalancer', healthCheckNodePort: 30_100 }, 'healthCheckNodePort'],
    [{ loadBalancerSourceRanges: ['10.4.0.0/16'] }, 'loadBalancerSourceRanges'],
    [{ type: 'LoadBalancer', loadBalancerSourceRanges: ['10.4.0.0/16'] }],
    [{ type: 'LoadBalancer', loadBalancerSourceRanges: ['10.4.0.0'] }, 'loadBalancerSourceRanges[0]'],
    [{ loadBalancerClass: 'example.test/inner' }, 'loadBalancerClass'],
    [{ allocateLoadBalancerNodePorts: false }, 'allocateLoadBalancerNodePorts'],
    [{ externalIPs: ['192.0.2.4'] }],
    [{ externalIPs: ['2001:db8::4'] }],
    [{ externalIPs: ['2001:db8::4%eth0'] }, 'externalIPs[0]'],
    [{ externalIPs: ['192.0.2.04'] }, 'externalIPs[0]'],
    [{ externalIPs: ['outside'] }, 'externalIPs[0]'],
    [{ ipFamilies: ['IPv6'] }],
    [{ ipFamilies: ['IPv5'] }, 'ipFamilies[0]'],
    [{ ipFamilies: ['IPv4', 'IPv4'] }, 'ipFamilies[1]'],
    [{ ipFamilyPolicy: 'Dual' }, 'ipFamilyPolicy'],
    [{ publishNotReadyAddresses: 'yes' }, 'publishNotReadyAddresses'],
    [{ trafficDistribution: 'PreferClose' }],
    [{ trafficDistribution: 'PreferFar' }, 'trafficDistribution']
  ]),
  of('"Object Names and IDs" (RFC 1035 for services)', [[{ name: '1a' }, 'name'], [{ name: 'a.b' }, 'name'], [{ name: 'a1' }]], 'metadata'),
  {
    of: 'NetworkPolicySpec v1 networking.k8s.io',
    base: good.NetworkPolicy,
    at: 'spec',
    rows: [
      [{ policyTypes: ['Ingress', 'Egress'] }],
      [{ policyTypes: ['Inside'] }, 'policyTypes[0]'],
      [policy({ from: [{ podSelector: {} }], ports: [{ port: 7110, endPort: 7120 }] })],
      [policy({ ports: [{ port: 7110, endPort: 7100 }] }), 'ingress[0].ports[0].endPort'],
      [policy({ ports: [{ port: 'sql', endPort: 7120 }] }), 'ingress[0].ports[0].endPort'],
      [policy({ ports: [{ port: 0 }] }), 'ingress[0].ports[0].port'],
      [policy({ from: [{ ipBlock: { cidr: '10.4.0.0/16', except: ['10.4.4.0/24'] } }] })],
      [policy({ from: [{ ipBlock: { cidr: '10.4.0.0' } }] }), 'ingress[0].from[0].ipBlock.cidr'],
      [policy({ from: [{ ipBlock: { cidr: '10.4.0.0/16' }, podSelector: {} }] }), 'ingress[0].from[0].ipBlock'],
      [policy({ from: [{}] }), 'ingress[0].from[0]'],
      [{ podSelector: { matchLabels: { a: 'b c' } } }, 'podSelector.matchLabels.a']
    ]
  }
];
