package main

import (
	"fmt"
	"io/fs"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/core/shelf"
	"tachyphor/demo"

	corev1 "k8s.io/api/core/v1"
	"sigs.k8s.io/yaml"
)

// templates is how many are checked.
const templates = 500

// checking reads and checks templates beside the demo's cluster, workload and
// scenarios, and reads the same manifests with Kubernetes' own YAML reader.
func checking() error {
	var around, kinds []*document.Document
	err := fs.WalkDir(demo.World, ".", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".yaml") {
			return err
		}
		b, err := fs.ReadFile(demo.World, path)
		if err != nil {
			return err
		}
		docs, faults := document.Parse(path, b)
		if len(faults) > 0 {
			return faults
		}
		if around = append(around, docs...); docs[0].Kind == document.KindPodTemplate {
			kinds = append(kinds, docs...)
		}
		return nil
	})
	if err != nil {
		return err
	}
	texts := make([]string, templates)
	for i := range texts {
		d := kinds[i%len(kinds)]
		texts[i] = strings.Replace(d.Text, "name: "+d.Name, fmt.Sprintf("name: %s-%d", d.Name, i), 1)
	}
	stream := strings.Join(texts, "---\n")
	var reading, checking, plain []float64
	found := 0
	for range 7 {
		began := time.Now()
		docs, faults := document.Parse("", []byte(stream))
		if len(faults) > 0 || len(docs) != templates {
			return fmt.Errorf("%d templates: %w", len(docs), faults)
		}
		reading = append(reading, time.Since(began).Seconds())
		began = time.Now()
		shelf := &review.Shelf{Shelf: shelf.Of(append(docs, around...)...)}
		found = 0
		for _, d := range docs {
			found += len(shelf.Check(d))
		}
		checking = append(checking, time.Since(began).Seconds())
		began = time.Now()
		for _, text := range texts {
			var p corev1.PodTemplate
			if err := yaml.UnmarshalStrict([]byte(text), &p); err != nil {
				return err
			}
		}
		plain = append(plain, time.Since(began).Seconds())
	}
	r, c, p := median(reading), median(checking), median(plain)
	fmt.Printf("check: %d templates, %d rules, %d findings\n", templates, len(review.Rules()), found)
	fmt.Printf("  reading                       %7.3f s\n  checking                      %7.3f s\n", r, c)
	fmt.Printf("  Kubernetes' own YAML reader   %7.3f s   (reading + checking) ÷ that = %.2f\n\n", p, (r+c)/p)
	return nil
}
