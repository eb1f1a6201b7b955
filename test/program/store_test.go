package program

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/internal/kube"
	"tachyphor/internal/probe"
	"tachyphor/internal/standin/cluster"
	"tachyphor/test/running"

	"k8s.io/apimachinery/pkg/apis/meta/v1/unstructured"
)

// refusing stands before a store and refuses what it is told to.
func refusing(t *testing.T, store string, refused func(*http.Request) bool) string {
	t.Helper()
	to, err := url.Parse(store)
	if err != nil {
		t.Fatal(err)
	}
	proxy := httputil.NewSingleHostReverseProxy(&url.URL{Scheme: to.Scheme, Host: to.Host})
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if refused(r) {
			w.Header().Set("Content-Type", "application/xml")
			w.WriteHeader(http.StatusForbidden)
			_, _ = fmt.Fprint(w, `<?xml version="1.0"?><Error><Code>AccessDenied</Code><Message>Access Denied.</Message></Error>`)
			return
		}
		proxy.ServeHTTP(w, r)
	}))
	t.Cleanup(s.Close)
	return s.URL + to.Path
}

func lists(r *http.Request) bool {
	return r.Method == http.MethodGet && (r.URL.Query().Has("list-type") || r.URL.Query().Has("prefix"))
}

// Workspaces in a store, with who wrote them; only what the lists take; and what keys may do there, told as enough
// for what is needed or not.
func TestStoreOfWorkspaces(t *testing.T) {
	t.Parallel()
	state, work := t.TempDir(), t.TempDir()
	store := pretendStore(t)
	for _, name := range []string{"deps/a", "deps/b", "src/main", "out.log"} {
		if err := os.MkdirAll(filepath.Join(work, filepath.Dir(name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(work, name), []byte(strings.Repeat(name, 1000)), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	file := filepath.Join(t.TempDir(), "lists.yaml")
	if err := os.WriteFile(file, []byte("include: [deps/]\nleaveOut: [b]\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if r := command(t, state, "probe", "--list", "--store", store); r.status != 0 || !strings.Contains(r.out, "Nothing is there.") {
		t.Errorf("%+v", r)
	}
	for i, args := range []string{"--build 4711 --key abcdef", "--build 4712 --lists " + file} {
		r := command(t, state, append([]string{"probe", work, "--store", store, "--save", fmt.Sprintf("tide-charts/%d", i)}, strings.Fields(args)...)...)
		if r.status != 0 || !strings.Contains(r.out, "written by build 471") {
			t.Fatalf("%+v", r)
		}
	}
	r := command(t, state, "probe", "tide-charts/", "--list", "--store", store, "-o", "json")
	var there []probe.Stored
	if err := json.Unmarshal([]byte(r.out), &there); err != nil || len(there) != 2 {
		t.Fatalf("%v %+v", err, r)
	}
	host, _ := os.Hostname()
	for _, x := range there {
		want := map[string]int64{"4711": 1000 * int64(len("deps/adeps/bsrc/mainout.log")), "4712": 1000 * int64(len("deps/a"))}[x.Build]
		if !x.Told || x.By != host || x.Folder != filepath.Base(work) || x.Codec != "zstd-3" || x.Unpacked != want || x.Key != map[string]string{"4711": "abcdef"}[x.Build] {
			t.Errorf("%+v, want %d bytes", x, want)
		}
	}
	if r := command(t, state, "probe", work, "--codecs", "none", "--no-unpack", "--include", "deps", "--leave-out", "deps/b", "-o", "json"); r.status != 0 ||
		!strings.Contains(r.out, `"files": 1,`) {
		t.Errorf("%+v", r)
	}

	for name, c := range map[string]struct {
		refused func(*http.Request) bool
		enough  bool
		says    string
	}{
		"all":       {func(*http.Request) bool { return false }, true, "enough for agents that read and save workspaces, and more"},
		"no list":   {lists, true, "not enough rights to list them, but enough for what is needed"},
		"least":     {func(r *http.Request) bool { return lists(r) || r.Method == http.MethodDelete }, true, "to list and delete them, but enough for what is needed"},
		"read only": {func(r *http.Request) bool { return r.Method == http.MethodPut }, false, "not enough rights to save, but enough for agents that only read"},
		"nothing":   {func(*http.Request) bool { return true }, false, "not enough: agents would find no workspace and save none"},
	} {
		r := command(t, state, "probe", "--rights", "--store", refusing(t, store, c.refused))
		if (r.status == 0) != c.enough || !strings.Contains(strings.ReplaceAll(r.out, "\n", " "), c.says) {
			t.Errorf("%s: %+v", name, r)
		}
	}
	if r := command(t, state, "probe", "--list", "--store", store); strings.Count(r.out, "tachyphor-probe-") != 1 ||
		!strings.Contains(r.out, "do not say who wrote them") { // what might not be taken away
		t.Errorf("%+v", r)
	}
	for args, says := range map[string]string{
		"": "name the folder", "--list": "say which store", "--rights --list --store " + store: "look at the store alone",
		work + " --save x": "--save goes with --store", work + " --lists nowhere": "no such file", work + " --leave-out [": "neither a path",
		work + " --save x --use lzma --store " + store: "no such codec",
	} {
		if r := command(t, state, append([]string{"probe"}, strings.Fields(args)...)...); r.status == 0 || !strings.Contains(r.err, says) {
			t.Errorf("%s: %+v", args, r)
		}
	}
}

// The cache store is tried from inside the cluster, by a pod of this program's image with the keys of the kit's
// Secret, which is gone afterwards.
func TestStoreFromInside(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	store := pretendStore(t)
	facts, err := os.ReadFile(filepath.Join(demoFolder, "cluster.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse("cluster.yaml", facts)
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	c, err := cluster.Start(cluster.Options{Facts: &docs[0].Value.(*document.Cluster).Spec, Speed: 100, Name: "inside", Program: running.Program(t)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = c.Close() })
	config := filepath.Join(dir, "config.yaml")
	if err := c.Kubeconfig(config); err != nil {
		t.Fatal(err)
	}
	template := filepath.Join(demoFolder, "templates", "compile-wide.yaml")
	preflight := func(address string) ran {
		with := filepath.Join(t.TempDir(), "cluster.yaml")
		text := strings.Replace(string(facts), "http://10.41.8.4:9000/workspaces", address, 1)
		if err := os.WriteFile(with, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return command(t, t.TempDir(), "preflight", template, "--with", with, "--kubeconfig", config, "--store-from", cluster.OwnImage)
	}
	if r := preflight(store); !strings.Contains(r.out, "cache store from inside") || !strings.Contains(r.out, "has not both keys") {
		t.Errorf("%+v", r)
	}
	conn, err := kube.Connect(kube.Options{Kubeconfig: config})
	if err != nil {
		t.Fatal(err)
	}
	for _, text := range []string{
		`{"apiVersion": "v1", "kind": "Namespace", "metadata": {"name": "slipway"}}`,
		`{"apiVersion": "v1", "kind": "Secret", "metadata": {"name": "workspace-cache", "namespace": "slipway"}, "stringData": {"access": "made-up", "secret": "made-up-too"}}`,
	} {
		o := &unstructured.Unstructured{}
		if err := o.UnmarshalJSON([]byte(text)); err != nil {
			t.Fatal(err)
		}
		if err := conn.Apply(t.Context(), o, false); err != nil {
			t.Fatal(err)
		}
	}
	if r := preflight(store); !strings.Contains(r.out, store+": enough for agents") {
		t.Errorf("%+v", r)
	}
	if r := preflight(refusing(t, store, func(r *http.Request) bool { return r.Method == http.MethodPut })); r.status != 1 ||
		!strings.Contains(r.out, "not enough rights to save") || !strings.Contains(r.out, "Access Denied") {
		t.Errorf("%+v", r)
	}
	if r := preflight("http://127.0.0.1:1/workspaces"); r.status != 1 || !strings.Contains(r.out, "not enough: agents would find no workspace") {
		t.Errorf("%+v", r)
	}
	if r := command(t, t.TempDir(), "preflight", "compile-wide", "--store-from", "x"); r.status == 0 || !strings.Contains(r.err, "goes with --kubeconfig") {
		t.Errorf("%+v", r)
	}
}
