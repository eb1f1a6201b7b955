package cli

import (
	"fmt"
	"os"
	"slices"

	"tachyphor/core/document"
)

// mendFile makes changes in the documents of a file whose text is known, and writes it
// anew when it can still be read.
func mendFile(file string, data []byte, of map[*document.Document][]document.Edit) error {
	out, err := document.Mend(data, of)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	if _, faults := document.Parse(file, out); len(faults) > 0 {
		return fmt.Errorf("%s: a defect: the mended file cannot be read; nothing was written: %w", file, faults)
	}
	return replace(file, out)
}

// mendKind makes changes in the first document of a kind in a file.
func (p *program) mendKind(file, kind string, edits func(*document.Document) []document.Edit) error {
	data, err := p.read(file)
	if err != nil {
		return err
	}
	docs, faults := document.Parse(file, data)
	if len(faults) > 0 {
		return faults
	}
	at := slices.IndexFunc(docs, func(d *document.Document) bool { return d.Kind == kind })
	if at < 0 {
		return no(fmt.Errorf("%s: there is no %s in it", file, kind))
	}
	return no(mendFile(file, data, map[*document.Document][]document.Edit{docs[at]: edits(docs[at])}))
}

// replace writes a file anew, at once or not at all.
func replace(file string, data []byte) error {
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	beside := file + ".tachyphor-new"
	if err := os.WriteFile(beside, data, info.Mode().Perm()); err != nil {
		return err
	}
	if err := os.Rename(beside, file); err != nil {
		_ = os.Remove(beside)
		return err
	}
	return nil
}
