package kube

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"

	"tachyphor/core/learn"

	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/kubernetes/scheme"
	"k8s.io/client-go/rest"
)

// pageOf is how many objects are asked for at once.
const pageOf = 500

// Records returns what a cluster has of nodes, pods, events, volumes, quotas and limit ranges,
// as its API gives it. tell hears of each kind once it is there. What may not be read is left
// out, and named; without nodes there is an error.
func (c *Cluster) Records(ctx context.Context, tell func(kind string, objects int)) (files []learn.File, left []string, err error) {
	core, storage := c.client.CoreV1().RESTClient(), c.client.StorageV1().RESTClient()
	for _, x := range []struct {
		client   rest.Interface
		resource string
	}{
		{core, "nodes"},
		{core, "pods"},
		{core, "events"},
		{core, "persistentvolumeclaims"},
		{core, "persistentvolumes"},
		{core, "resourcequotas"},
		{core, "limitranges"},
		{storage, "storageclasses"},
	} {
		data, n, err := everyPage(ctx, x.client, x.resource)
		if err != nil {
			if ctx.Err() != nil || x.resource == "nodes" || !apierrors.IsForbidden(err) && !apierrors.IsNotFound(err) {
				return nil, nil, fmt.Errorf("%s of cluster %s: %s", x.resource, c.Context, words(err))
			}
			left = append(left, x.resource)
			continue
		}
		files = append(files, learn.File{Name: x.resource, Data: data})
		tell(x.resource, n)
	}
	return files, left, nil
}

// everyPage lists a resource of all namespaces, page by page.
func everyPage(ctx context.Context, client rest.Interface, resource string) ([]byte, int, error) {
	var all bytes.Buffer
	next, n := "", 0
	for {
		raw, err := client.Get().Resource(resource).
			VersionedParams(&metav1.ListOptions{Limit: pageOf, Continue: next}, scheme.ParameterCodec).Do(ctx).Raw()
		if err != nil {
			return nil, 0, err
		}
		var page struct {
			Metadata struct {
				Continue string `json:"continue"`
			} `json:"metadata"`
			Items []json.RawMessage `json:"items"`
		}
		if err := json.Unmarshal(raw, &page); err != nil {
			return nil, 0, err
		}
		all.Write(raw)
		all.WriteByte('\n')
		n += len(page.Items)
		if next = page.Metadata.Continue; next == "" {
			return all.Bytes(), n, nil
		}
		if all.Len() > learn.MostBytes {
			return nil, 0, fmt.Errorf("more than %d MiB; learn from files of a part of them", learn.MostBytes>>20)
		}
	}
}
