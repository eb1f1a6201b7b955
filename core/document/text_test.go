package document_test

import (
	"encoding/binary"
	"strings"
	"testing"
	"unicode/utf16"

	"tachyphor/core/document"
)

// A file is read whatever editor wrote it, or refused by its name with what it is.
func TestFilesOfOtherEditors(t *testing.T) {
	const text = "# nøte\napiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s}\nspec: {cluster: c, workload: w, " +
		"templates: [{template: t}]}\n"
	encoded := func(order binary.AppendByteOrder, mark bool) string {
		var b []byte
		if mark {
			b = order.AppendUint16(b, 0xfeff)
		}
		for _, u := range utf16.Encode([]rune(text)) {
			b = order.AppendUint16(b, u)
		}
		return string(b)
	}
	for name, c := range map[string]struct{ data, want string }{
		"UTF-8":              {text, ""},
		"UTF-8 with a mark":  {"\xef\xbb\xbf" + text, ""},
		"UTF-16LE":           {encoded(binary.LittleEndian, true), ""},
		"UTF-16BE":           {encoded(binary.BigEndian, true), ""},
		"UTF-16LE, no mark":  {encoded(binary.LittleEndian, false), "looks like UTF-16"},
		"UTF-16BE, no mark":  {encoded(binary.BigEndian, false), "looks like UTF-16"},
		"UTF-16 cut":         {encoded(binary.LittleEndian, true)[:31], "half a character"},
		"UTF-32":             {"\xff\xfe\x00\x00a\x00\x00\x00", "UTF-32"},
		"a chart's template": {"{{- if .Values.x }}\napiVersion: v1\n{{- end }}\n", "template of a chart"},
	} {
		docs, faults := document.Parse("file.yaml", []byte(c.data))
		if c.want == "" {
			if len(faults) > 0 || docs[0].Text != text || docs[0].Note() != "nøte" {
				t.Errorf("%s: %v", name, faults)
			}
			continue
		}
		if len(faults) != 1 || !strings.Contains(faults[0].String(), c.want) || !strings.HasPrefix(faults[0].String(), "file.yaml") {
			t.Errorf("%s: %v", name, faults)
		}
	}
	// What is nobody's is passed over, what is misspelt is not.
	for kind, others := range map[string]int{
		"v1/Node": 1, "cluster.x-k8s.io/v1/Cluster": 1, "kustomize.config.k8s.io/v1/Kustomization": 1, "example.com/v1/Job": 1,
		"v1/PodTemplat": 0, "apps/v1/Deploymnt": 0, "tachyphor/v1/Scenari": 0, "batch/v1/Jobs": 0,
	} {
		i := strings.LastIndexByte(kind, '/')
		r := document.Read("f", []byte("apiVersion: "+kind[:i]+"\nkind: "+kind[i+1:]+"\nmetadata: {name: x}\n"))
		if len(r.Others) != others || len(r.Faults) != 1-others {
			t.Errorf("%s: %v, %v", kind, r.Others, r.Faults)
		}
	}
}
