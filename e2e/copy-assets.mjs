// Copies what the application ships from the npm packages of the lock file into assets/. Run after changing a version.
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";

const from = (path) => new URL(`../node_modules/${path}`, import.meta.url);
const to = (path) => new URL(`../assets/${path}`, import.meta.url);
mkdirSync(to("fonts/"), { recursive: true });
mkdirSync(to("vendor/"), { recursive: true });

const files = {
  "bootstrap/dist/css/bootstrap-reboot.min.css": "vendor/bootstrap-reboot.min.css",
  "bootstrap/dist/css/bootstrap-utilities.min.css": "vendor/bootstrap-utilities.min.css",
  "htmx.org/dist/htmx.min.js": "vendor/htmx.min.js",
  "@fontsource/source-serif-4/files/source-serif-4-latin-400-normal.woff2": "fonts/source-serif-4-latin-400-normal.woff2",
  "@fontsource/source-serif-4/files/source-serif-4-latin-400-italic.woff2": "fonts/source-serif-4-latin-400-italic.woff2",
  "@fontsource/source-serif-4/files/source-serif-4-greek-400-italic.woff2": "fonts/source-serif-4-greek-400-italic.woff2",
  "@fontsource/ibm-plex-sans-condensed/files/ibm-plex-sans-condensed-latin-400-normal.woff2": "fonts/ibm-plex-sans-condensed-latin-400-normal.woff2",
  "@fontsource/ibm-plex-sans-condensed/files/ibm-plex-sans-condensed-latin-600-normal.woff2": "fonts/ibm-plex-sans-condensed-latin-600-normal.woff2",
  "@fontsource/source-serif-4/LICENSE": "fonts/source-serif-4-LICENSE.txt",
  "@fontsource/ibm-plex-sans-condensed/LICENSE": "fonts/ibm-plex-sans-condensed-LICENSE.txt",
  "bootstrap/LICENSE": "vendor/bootstrap-LICENSE.txt",
  "htmx.org/LICENSE": "vendor/htmx-LICENSE.txt",
};
for (const [source, target] of Object.entries(files)) copyFileSync(from(source), to(target));
// The maps are not shipped, so the lines that name them go.
for (const css of ["vendor/bootstrap-reboot.min.css", "vendor/bootstrap-utilities.min.css"]) {
  writeFileSync(to(css), readFileSync(to(css), "utf8").replace(/\/\*# sourceMappingURL=.*?\*\/\s*$/, ""));
}
