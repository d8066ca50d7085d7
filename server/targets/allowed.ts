/** Which addresses the server may connect to on behalf of people: what an operator allows, and nothing else. */
import { lookup as lookUp } from 'node:dns';
import { isIP, type LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';

/** An address that this server may not connect to. */
export class NotAllowed extends Error {
  constructor() {
    super('this address is not among those that this server may connect to');
  }
}

export interface Allowed {
  /** @throws NotAllowed when an address that needs no looking up may not be connected to */
  check(host: string): void;
  /** Looks a name up for a connection, and gives only an address that may be connected to. */
  readonly lookup: LookupFunction;
}

type Rule = (host: string, address: ipaddr.IPv4 | ipaddr.IPv6) => boolean;

/**
 * @param setting words separated by commas: `loopback`, `private` (RFC 1918, RFC 4193 and the like),
 *   `public`, an address, a range (`10.1.0.0/16`), or a host name, which stands for wherever it leads
 * @throws Error when a word is none of these
 */
export function allowedAddresses(setting: string): Allowed {
  const rules = setting
    .split(',')
    .map((word) => word.trim().toLowerCase())
    .filter((word) => word !== '')
    .map(ruleOf);
  const allows = (host: string, text: string) => {
    const address = ipaddr.process(text);
    return rules.some((rule) => rule(host, address));
  };
  return {
    check(host) {
      const bare = host.replace(/^\[|\]$/g, '').toLowerCase();
      if (isIP(bare) && !allows(bare, bare)) throw new NotAllowed();
    },
    lookup(host, options, done) {
      lookUp(host, { ...options, all: true }, (error, found) => {
        if (error) return done(error, '', 0);
        const good = found.filter(({ address }) => allows(host.toLowerCase(), address));
        // one that may not be connected to hides behind the name: none of them is tried
        if (good.length < found.length || !good[0]) return done(new NotAllowed(), '', 0);
        if (options.all) done(null, good);
        else done(null, good[0].address, good[0].family);
      });
    },
  };
}

function ruleOf(word: string): Rule {
  switch (word) {
    case 'loopback':
      return (_, address) => address.range() === 'loopback';
    case 'private':
      return (_, address) => ['private', 'uniqueLocal', 'carrierGradeNat'].includes(address.range());
    case 'public':
      return (_, address) => address.range() === 'unicast';
  }
  if (word.includes('/') && ipaddr.isValidCIDR(word)) {
    const [base, bits] = ipaddr.parseCIDR(word);
    return (_, address) => address.kind() === base.kind() && address.match(base, bits);
  }
  if (ipaddr.isValid(word)) {
    const one = ipaddr.process(word).toString();
    return (_, address) => address.toString() === one;
  }
  if (/^[a-z0-9]([a-z0-9.-]*[a-z0-9])?$/.test(word)) return (host) => host === word;
  throw new Error(
    `VONDLE_TARGETS: \`${word}\` is neither loopback, private, public, an address, a range nor a host name`,
  );
}
