/** Templates: what they know, and that nothing a name says is more than a name. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { htmlOf } from './outbox.ts';
import { plainValue, rendered, wrongTemplate } from './templates.ts';

const FIELDS = ['thing.name', 'answer.link', 'event.times'];

describe('a template', () => {
  it('is refused for a field that is not there, and for what reads or counts', () => {
    expect(wrongTemplate('Hello {{ thing.name }}', FIELDS)).toBeUndefined();
    expect(wrongTemplate('{% if event.times > 1 %}again{% endif %}', FIELDS)).toBeUndefined();
    expect(wrongTemplate('{{ thing.colour }}', FIELDS)).toContain('There is no field thing.colour here.');
    expect(wrongTemplate('{{ thing }}', FIELDS)).toContain('There is no field thing here.');
    expect(wrongTemplate('{{ constructor.name }}', FIELDS)).toContain('no field');
    for (const text of [
      '{% include "x" %}',
      '{% render "/etc/passwd" %}',
      '{% layout "x" %}',
      '{% tablerow a in b %}{% endtablerow %}',
      '{{ thing.name',
      '{% if %}',
      '{{ thing.name | nothing }}',
    ])
      expect(wrongTemplate(text, FIELDS), text).toContain('It cannot be read');
    expect(wrongTemplate('x'.repeat(30_000), FIELDS)).toContain('It cannot be read');
  });

  it('that would take long is stopped', () => {
    const text = '{% for a in (1..100000) %}{% for b in (1..100000) %}x{% endfor %}{% endfor %}';
    const from = performance.now();
    expect(() => rendered(text, {}, FIELDS)).toThrow('The text cannot be filled in');
    expect(performance.now() - from).toBeLessThan(5000);
  });

  it('takes values for what they are, whatever stands in them', () => {
    const name = '{{ answer.link }} {% include "x" %}\r\nBcc: a@b.test \u202egnp.exe http://evil.test';
    const text = rendered(
      '“{{ thing.name }}” {{ answer.link }}',
      { 'thing.name': name, 'answer.link': 'https://lantern.example/answer#1' },
      FIELDS,
    );
    expect(text).toMatch(/^“\{\{ answer\.link \}\} \{% include "x" %\} Bcc: a@b\.test +gnp\.exe http:/);
    expect(text).not.toMatch(/[\r\n\u202e]/);
    expect(text).not.toContain('http://evil');
    expect(text).toContain('https://lantern.example/answer#1');
  });

  it('never lets a value begin a line, or an address', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 500 }), (value) => {
        const plain = plainValue(value);

        expect(plain).not.toMatch(/[\u0000-\u001f\u007f-\u009f\u2028\u2029\u202a-\u202e]/);
        expect(plain).not.toContain('://');
        expect(plain.length).toBeLessThanOrEqual(301);
      }),
      { numRuns: 500 },
    );
  });
});

describe('the same as HTML', () => {
  it('has no mark-up of a value, and no link but our own', () => {
    const html = htmlOf(
      '<b>',
      'A <script>alert(1)</script>\nhttps://lantern.example/answer#1.0.x\nhttps://evil.example/',
      'https://lantern.example',
    );
    expect(html).not.toContain('<script');
    expect(html).toContain('<title>&lt;b&gt;</title>');
    expect(html.match(/<a /g)).toHaveLength(1);
    expect(html).toContain('<a href="https://lantern.example/answer#1.0.x">');
  });
});
