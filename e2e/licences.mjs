// Refuses a dependency whose licence is not on the list below. Reads what Cargo itself knows; fetches nothing.
import { execFileSync } from "node:child_process";

const ALLOWED = new Set(["MIT", "Apache-2.0", "Apache-2.0 WITH LLVM-exception", "BSD-2-Clause", "BSD-3-Clause", "ISC", "Zlib", "Unicode-3.0", "CC0-1.0", "0BSD", "Unlicense", "BSL-1.0", "MPL-2.0", "MIT-0", "OFL-1.1", "bzip2-1.0.6", "CDLA-Permissive-2.0"]);
const metadata = JSON.parse(execFileSync("cargo", ["metadata", "--format-version", "1", "--locked"], { maxBuffer: 1 << 28 }));

// `A OR B` needs one allowed, `A AND B` both; a slash is the old way of writing OR.
const fits = (expression) => {
  const text = expression.replaceAll("/", " OR ").replace(/^\((.*)\)$/, "$1");
  let depth = 0;
  const split = (word) => {
    const parts = [""];
    for (const token of text.split(/(\(|\)|\s+)/)) {
      if (token === "(") depth++;
      if (token === ")") depth--;
      if (depth === 0 && token === word) parts.push("");
      else parts[parts.length - 1] += token;
    }
    return parts.map((p) => p.trim());
  };
  const either = split("OR");
  if (either.length > 1) return either.some(fits);
  const both = split("AND");
  if (both.length > 1) return both.every(fits);
  return ALLOWED.has(text.trim());
};
const refused = metadata.packages.filter((p) => !p.license || !fits(p.license)).map((p) => `${p.name} ${p.version}: ${p.license ?? "no licence named"}`);
if (refused.length) {
  console.error("Dependencies whose licence is not allowed:\n" + refused.join("\n"));
  process.exit(1);
}
console.log(`${metadata.packages.length} packages, every licence allowed`);
