// Command notices writes down whose work the program and its console are built on, under which licence, with
// the licences' texts: from the modules that are linked and the packages that are bundled. With -check it
// compares instead, and says what differs.
package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/google/licensecheck"
)

// A part is a module or a package of someone's.
type part struct {
	name, version string
	licences      []string // by their SPDX names
	texts         []string // of licences and notices
}

// chosen are the licences that are taken of parts that leave the choice.
var chosen = map[string]string{"github.com/golang/freetype": "FTL"}

// accepted are licences under which a part may be used in a program under Apache-2.0. MPL-2.0 is so for files
// that are used as they are; CC-BY-4.0 for texts and pictures; OFL-1.1 for fonts.
var accepted = []string{
	"Apache-2.0", "MIT", "BSD-2-Clause", "BSD-3-Clause", "ISC", "MPL-2.0", "CC-BY-4.0", "FTL", "OFL-1.1", "0BSD", "Unlicense", "Zlib", "BlueOak-1.0.0",
	"CC0-1.0", "MIT-0",
}

// files are those that hold licences and notices.
var files = regexp.MustCompile(`(?i)^((?:un)?licen[cs]e|copying|notice|copyright|patents)([-.].*)?$`)

func main() {
	root := flag.String("root", ".", "folder of the project")
	check := flag.Bool("check", false, "compare with what is there, instead of writing")
	flag.Parse()
	if err := run(*root, *check); err != nil {
		fmt.Fprintln(os.Stderr, "notices:", err)
		os.Exit(1)
	}
}

func run(root string, check bool) error {
	mods, err := modules(root)
	if err != nil {
		return err
	}
	packs, err := packages(filepath.Join(root, "web"))
	if err != nil {
		return err
	}
	var faults []error
	for _, p := range append(slices.Clone(mods), packs...) {
		if len(p.licences) == 0 {
			faults = append(faults, fmt.Errorf("%s: no licence can be told", p.name))
		}
		for _, l := range p.licences {
			if !slices.Contains(accepted, l) {
				faults = append(faults, fmt.Errorf("%s is under %s, which nobody has accepted", p.name, l))
			}
		}
	}
	if len(faults) > 0 {
		return errors.Join(faults...)
	}
	text := written(mods, packs)
	path := filepath.Join(root, "NOTICES")
	if !check {
		return os.WriteFile(path, text, 0o644)
	}
	if have, err := os.ReadFile(path); err != nil || !bytes.Equal(have, text) {
		return fmt.Errorf("NOTICES is not what the modules and packages say (%v); run make notices", err)
	}
	return nil
}

// modules are those whose code is linked into the program.
func modules(root string) ([]part, error) {
	cmd := exec.Command("go", "list", "-tags", "nomsgpack", "-deps", "-f", "{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}",
		"./cmd/tachyphor")
	cmd.Dir, cmd.Stderr = root, os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, err
	}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	slices.Sort(lines)
	var list []part
	for _, line := range slices.Compact(lines) {
		f := strings.Fields(line)
		if len(f) != 3 {
			continue
		}
		p, err := partOf(f[0], f[1], f[2])
		if err != nil {
			return nil, err
		}
		list = append(list, p)
	}
	return list, nil
}

// packages are those that the console's bundle is made of: what it depends on to run, not to be built.
func packages(web string) ([]part, error) {
	b, err := os.ReadFile(filepath.Join(web, "package-lock.json"))
	if err != nil {
		return nil, err
	}
	var lock struct {
		Packages map[string]struct {
			Version, License string
			Dev, Optional    bool
		} `json:"packages"`
	}
	if err := json.Unmarshal(b, &lock); err != nil {
		return nil, err
	}
	var list []part
	for path, x := range lock.Packages {
		_, name, ok := strings.Cut(path, "node_modules/")
		if !ok || x.Dev || x.Optional {
			continue
		}
		if i := strings.LastIndex(name, "node_modules/"); i >= 0 {
			name = name[i+len("node_modules/"):]
		}
		p, err := partOf(name, x.Version, filepath.Join(web, path))
		if err != nil {
			return nil, err
		}
		if len(p.licences) == 0 && x.License != "" {
			p.licences = []string{x.License}
		}
		list = append(list, p)
	}
	slices.SortFunc(list, func(a, b part) int { return strings.Compare(a.name+" "+a.version, b.name+" "+b.version) })
	return slices.CompactFunc(list, func(a, b part) bool { return a.name == b.name && a.version == b.version }), nil
}

// partOf reads the licences and notices of a folder.
func partOf(name, version, dir string) (part, error) {
	p := part{name: name, version: version}
	list, err := os.ReadDir(dir)
	if err != nil {
		return p, err
	}
	for _, e := range list {
		if e.IsDir() || !files.MatchString(e.Name()) || strings.HasSuffix(e.Name(), ".go") {
			continue
		}
		b, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return p, err
		}
		text := strings.TrimSpace(strings.ReplaceAll(string(b), "\r\n", "\n"))
		p.texts = append(p.texts, text)
		for _, m := range licensecheck.Scan([]byte(text)).Match {
			if id := m.ID; id != "GooglePatentsFile" && !slices.Contains(p.licences, id) && !m.IsURL {
				p.licences = append(p.licences, id)
			}
		}
	}
	if one := chosen[name]; one != "" {
		p.licences = []string{one}
	}
	slices.Sort(p.licences)
	return p, nil
}

// written is the file.
func written(mods, packs []part) []byte {
	var b bytes.Buffer
	fmt.Fprint(&b, "Tachyphor is licensed under the Apache License, Version 2.0 (LICENSE). The program and its console are built\n"+
		"on the work of others, which is listed here with its licences. This file is written by `make notices`.\n\n"+
		"Where a part leaves the choice of a licence, the one named here is taken. The source code of parts under the\n"+
		"Mozilla Public License 2.0 is used as it was published, and is had at the address that a part is named by,\n"+
		"in the version that stands beside it.\n")
	type text struct {
		body string
		of   []string
	}
	var texts []*text
	at := map[string]*text{}
	for _, group := range []struct {
		title string
		list  []part
	}{{"Linked into the program", mods}, {"Bundled into the console", packs}} {
		fmt.Fprintf(&b, "\n%s\n\n", group.title)
		for _, p := range group.list {
			fmt.Fprintf(&b, "  %s %s: %s\n", p.name, p.version, strings.Join(p.licences, " and "))
			for _, body := range p.texts {
				sum := sha256.Sum256([]byte(strings.Join(strings.Fields(body), " ")))
				key := hex.EncodeToString(sum[:])
				if at[key] == nil {
					at[key] = &text{body: body}
					texts = append(texts, at[key])
				}
				at[key].of = append(at[key].of, p.name)
			}
		}
	}
	for _, t := range texts {
		fmt.Fprintf(&b, "\n%s\n", strings.Repeat("-", 100))
		for _, name := range slices.Compact(t.of) {
			fmt.Fprintf(&b, "%s\n", name)
		}
		_, _ = io.WriteString(&b, "\n"+t.body+"\n")
	}
	return b.Bytes()
}
