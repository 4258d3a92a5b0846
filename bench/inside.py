"""Measures of the core's inside: lengths of functions and files, circles between files, documentation, examples, tests.

    python3 bench/inside.py [FOLDER]        FOLDER is a checkout, by default this one
    python3 bench/inside.py --list          the long functions, long files and circles by name

A function's length is the lines of its body, blank lines and comments left out. A circle is a set of files that use each other,
parents and their own parts left out. bench/mutants.py counts the deliberate breaks that the tests find.
"""

import os
import re
import statistics
import sys

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))


def read(path):
    with open(path, encoding="utf-8") as f:
        return f.read()


def files(folder):
    for at, _, names in os.walk(folder):
        for name in sorted(names):
            if name.endswith(".rs"):
                yield os.path.join(at, name)


def plain(text):
    """The text with what stands in strings, characters and comments blanked out, line for line."""
    out, i, n = [], 0, len(text)
    blank = lambda s: re.sub(r"[^\n]", " ", s)
    while i < n:
        if text.startswith("//", i):
            j = text.find("\n", i)
            j = n if j < 0 else j
        elif text.startswith("/*", i):
            j = text.find("*/", i) + 2
        elif m := re.compile(r'b?r(#*)"').match(text, i):
            end = '"' + m.group(1)
            j = text.find(end, m.end()) + len(end)
        elif text[i] == '"':
            j = i + 1
            while text[j] != '"':
                j += 2 if text[j] == "\\" else 1
            j += 1
        elif m := re.compile(r"'(\\.[^']*|[^'\\])'").match(text, i):
            j = m.end()
        else:
            out.append(text[i])
            i += 1
            continue
        out.append(blank(text[i:j]))
        i = j
    return "".join(out)


def without_tests(text):
    """A file's text up to its tests."""
    return re.split(r"#\[cfg\(test\)\]\s*mod tests \{", text)[0]


def functions(path):
    """Name and length of every function of a file, its tests left out."""
    text = plain(without_tests(read(path)))
    for m in re.finditer(r"\bfn (\w+)", text):
        depth, i = 0, m.end()
        while i < len(text) and text[i] not in "{;":
            # `[u8; 4]` in a signature is no end.
            if text[i] in "([":
                depth += 1
                while depth:
                    i += 1
                    depth += {"(": 1, "[": 1, ")": -1, "]": -1}.get(text[i], 0)
            i += 1
        if i >= len(text) or text[i] == ";":
            continue
        start, depth = i, 1
        while depth:
            i += 1
            depth += {"{": 1, "}": -1}.get(text[i], 0)
        yield m.group(1), sum(1 for line in text[start + 1 : i].splitlines() if line.strip())


def module(path, src):
    name = os.path.relpath(path, src)[:-3].replace(os.sep, "::")
    return re.sub(r"(^|::)mod$", "", name).removesuffix("::") or "lib"


def uses(src):
    """Which file uses which: by `crate::`, `super::` and `self::` paths, and by modules' names inside a folder."""
    paths = {module(p, src): p for p in files(src) if not p.endswith("tests.rs")}
    out = {}
    for name, path in paths.items():
        text = plain(without_tests(read(path)))
        parent = name.rsplit("::", 1)[0] if "::" in name else "lib"
        is_folder = path.endswith("mod.rs") or name == "lib"
        found = set()
        for m in re.finditer(r"\b(crate|super|self)((?:::\w+|::\{[^;]*?\})+)", text):
            base = {"crate": "", "super": parent if not is_folder else parent, "self": name}[m.group(1)]
            base = "" if base == "lib" else base
            if m.group(1) == "super" and not is_folder:
                base = parent if parent != "lib" else ""
            for tail in expand(m.group(2)):
                parts = [p for p in (base.split("::") if base else []) + tail if p]
                while parts:
                    candidate = "::".join(parts)
                    if candidate in paths and candidate != name:
                        found.add(candidate)
                        break
                    parts.pop()
        out[name] = found
    return out


def expand(tail):
    """`::a::{b, c::d}` as [a, b] and [a, c, d]."""
    head, _, group = tail.partition("::{")
    first = [p for p in head.split("::") if p]
    if not group:
        return [first]
    inner, depth, out = "", 0, []
    for c in group[:-1] + ",":
        depth += {"{": 1, "}": -1}.get(c, 0)
        if c == "," and depth == 0:
            if inner.strip():
                out += [first + rest for rest in expand("::" + inner.strip())]
            inner = ""
        else:
            inner += c
    return out


def circles(graph):
    """Sets of files that reach each other; a parent and its own parts count only where two parts do."""
    index, low, stack, on, out = {}, {}, [], set(), []
    counter = [0]
    parts = {n: {u for u in us if not (n + "::").startswith(u + "::") and not u.startswith(n + "::")} for n, us in graph.items()}

    def visit(v):
        index[v] = low[v] = counter[0]
        counter[0] += 1
        stack.append(v)
        on.add(v)
        for w in parts.get(v, ()):
            if w not in index:
                visit(w)
                low[v] = min(low[v], low[w])
            elif w in on:
                low[v] = min(low[v], index[w])
        if low[v] == index[v]:
            group = []
            while True:
                w = stack.pop()
                on.discard(w)
                group.append(w)
                if w == v:
                    break
            if len(group) > 1:
                out.append(sorted(group))

    for v in graph:
        if v not in index:
            visit(v)
    return out


EXAMPLES = ["formula", "reading", "quantity", "stats", "notation", "uncertainty"]


def examples(src):
    """Public functions of the modules that owe an example, and how many have one (a fenced block above them)."""
    owed, have, missing = 0, 0, []
    for path in files(src):
        top = os.path.relpath(path, src).split(os.sep)[0].removesuffix(".rs")
        if top not in EXAMPLES or path.endswith("tests.rs"):
            continue
        lines = without_tests(read(path)).splitlines()
        for i, line in enumerate(lines):
            m = re.match(r"\s*pub (?:const )?fn (\w+)", line)
            if not m:
                continue
            doc, k = [], i - 1
            while k >= 0 and re.match(r"\s*(///|#\[)", lines[k]):
                doc.append(lines[k])
                k -= 1
            owed += 1
            if any("```" in d for d in doc):
                have += 1
            else:
                missing.append(f"{os.path.relpath(path, src)}: {m.group(1)}")
    return owed, have, missing


def main():
    arguments = [a for a in sys.argv[1:] if a != "--list"]
    root = arguments[0] if arguments else ROOT
    src, tests = f"{root}/crates/core/src", f"{root}/crates/core/tests"
    lengths = [(n, name, os.path.relpath(p, src)) for p in files(src) if not p.endswith("tests.rs") for name, n in functions(p)]
    sizes = sorted(n for n, *_ in lengths)
    long_files = []
    doc = code = test = 0
    for path in files(src):
        text = read(path)
        own, of_tests = (without_tests(text), text[len(without_tests(text)) :]) if not path.endswith("tests.rs") else ("", text)
        lines = [l.strip() for l in own.splitlines() if l.strip()]
        doc += sum(1 for l in lines if l.startswith(("///", "//!")))
        code += sum(1 for l in lines if not l.startswith("//"))
        test += sum(1 for l in of_tests.splitlines() if l.strip() and not l.strip().startswith("//"))
        if len(own.splitlines()) > 500:
            long_files.append((len(own.splitlines()), os.path.relpath(path, src)))
    for path in files(tests):
        test += sum(1 for l in read(path).splitlines() if l.strip() and not l.strip().startswith("//"))
    found = circles(uses(src))
    owed, have, missing = examples(src)
    print(f"functions of core: {len(sizes)}, median {statistics.median(sizes):.0f} lines, p90 {sizes[int(0.9 * len(sizes))]}, longest {sizes[-1]}")
    print(f"functions over 60 lines: {sum(1 for s in sizes if s > 60)}; over 25: {sum(1 for s in sizes if s > 25)}")
    print(f"files over 500 lines before their tests: {len(long_files)}")
    print(f"circles between files: {len(found)}")
    print(f"documentation: {doc} of {doc + code} lines of code and documentation, {100 * doc / (doc + code):.0f} %")
    print(f"public functions of {', '.join(EXAMPLES)} with a tested example: {have} of {owed}")
    print(f"tests: {test} of {test + code} lines of code, {100 * test / (test + code):.0f} %")
    if "--list" in sys.argv:
        for n, name, path in sorted(lengths, reverse=True):
            if n > 60:
                print(f"  {n:4} {name} {path}")
        for n, path in sorted(long_files, reverse=True):
            print(f"  {n:4} {path}")
        for group in found:
            print("  circle:", ", ".join(group))
        for m in missing:
            print("  no example:", m)


if __name__ == "__main__":
    main()
