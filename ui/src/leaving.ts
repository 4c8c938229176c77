/** Departures that a person has fixed, as a field and addresses hold them: `site:SoC` pairs, sites encoded, so that
 * their identifiers may hold colons and commas. */

/** What a text holds: site to SoC. */
export function readLeaving(text: string): Map<string, string> {
  const fixed = new Map<string, string>();
  for (const pair of text.split(",")) {
    const at = pair.lastIndexOf(":");
    if (at > 0) fixed.set(decode(pair.slice(0, at)), pair.slice(at + 1));
  }
  return fixed;
}

/** The text that holds it. */
export function writeLeaving(fixed: Map<string, string>): string {
  return [...fixed].map(([site, soc]) => `${encodeURIComponent(site)}:${soc}`).join(",");
}

/** The server writes a space as a plus. A text that nobody encoded stays as it is. */
function decode(site: string): string {
  try {
    return decodeURIComponent(site.replaceAll("+", " "));
  } catch {
    return site;
  }
}
