import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { SCHEME_HEADER, SOURCE_HEADER } from '../dto/headers.ts';
import { knownHost, marked, networks, securityHeaders } from './web.ts';

describe('requests', () => {
  const proxies = networks('10.0.0.0/8, 2001:db8::1');
  const of = (headers: Record<string, string>, peer: string, tls = false) => {
    const m = marked(headers, peer, tls, proxies);
    return [m[SCHEME_HEADER], m[SOURCE_HEADER]];
  };

  it('are of whom a named proxy says, and of whoever connects where the proxy is none of ours', () => {
    const forged = {
      'x-forwarded-for': '203.0.113.9',
      'x-forwarded-proto': 'https',
      forwarded: 'for=1.2.3.4',
    };
    expect(of(forged, '198.51.100.4')).toEqual(['http', '198.51.100.4']);
    expect(of(forged, '10.1.2.3')).toEqual(['https', '203.0.113.9']);
    expect(of(forged, '::ffff:10.1.2.3')).toEqual(['https', '203.0.113.9']);
    expect(of(forged, '2001:db8::1')).toEqual(['https', '203.0.113.9']);
    expect(of({}, '198.51.100.4', true)).toEqual(['https', '198.51.100.4']);
    // of a chain the nearest that is no proxy: what is before it was written by whoever asks
    expect(of({ 'x-forwarded-for': '1.1.1.1, 203.0.113.9, 10.9.9.9' }, '10.1.2.3')[1]).toBe('203.0.113.9');
    expect(of({ 'x-forwarded-for': 'nonsense' }, '10.1.2.3')[1]).toBe('unknown');
  });

  it('carry nothing of ours that came from outside', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('198.51.100.4', '10.1.2.3', '::1'),
        fc.constantFrom(SCHEME_HEADER, SOURCE_HEADER, 'x-gate-lantern-else', 'x-forwarded-host', 'forwarded'),
        (peer, name) => {
          const {
            [SCHEME_HEADER]: scheme,
            [SOURCE_HEADER]: source,
            ...rest
          } = marked({ [name]: 'https', accept: 'text/html' }, peer, false, proxies);
          expect(rest).toEqual({ accept: 'text/html' });
          expect(scheme).toBe('http');
          expect(['198.51.100.4', '10.1.2.3', '::1']).toContain(source);
        },
      ),
    );
  });

  it('come under a name that is ours', () => {
    const env = { HOST: 'lantern.example', GATE_LANTERN_HOSTS: 'other.example:8443' };
    for (const ours of [
      'localhost:4680',
      '127.0.0.1',
      '[::1]:4680',
      'lantern.example',
      'lantern.example:4680',
      'other.example:8443',
    ])
      expect(knownHost(ours, env), ours).toBe(true);
    for (const not of [
      'evil.example',
      'other.example',
      'localhost.evil.example',
      '127.0.0.1.evil.example',
      '',
      undefined,
    ])
      expect(knownHost(not, env), not).toBe(false);
  });

  it('are answered with strict transport over TLS alone (RFC 6797 §7.2)', () => {
    expect(securityHeaders('https')['strict-transport-security']).toMatch(/^max-age=31536000/);
    expect(securityHeaders('http')).not.toHaveProperty('strict-transport-security');
  });

  it('from networks that are none are refused at the start', () => {
    for (const bad of ['10.0.0.0/33', 'proxy.example', '10.0.0.0/x', '1.2.3'])
      expect(() => networks(bad), bad).toThrow('no network address');
    expect(networks('').check('10.0.0.1')).toBe(false);
  });
});
