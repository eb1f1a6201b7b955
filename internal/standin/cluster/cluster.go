// Package cluster is a small stand-in for a Kubernetes cluster: enough of the API
// for agents to be made, watched and taken away through an ordinary client, with
// rights, quotas, limit ranges, dry runs and a kubelet that only pretends, with the
// times of a cluster document. It serves the demo and the quick tests on loopback.
package cluster

import (
	"context"
	"crypto/rand"
	"crypto/tls"
	"encoding/hex"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/fleet"

	"k8s.io/client-go/tools/clientcmd"
	clientcmdapi "k8s.io/client-go/tools/clientcmd/api"
	"sigs.k8s.io/yaml"
)

// Version is what the stand-in says it is.
const Version = "v1.37.2-standin"

// Options say what the cluster is like.
type Options struct {
	Facts *document.ClusterSpec // pools, images, links and times; nodes are the pools' least, and grow for pods without room
	Speed float64               // how much faster than in life pretended things go; 0: 1
	Name  string                // of the context
	// Program is what containers of OwnImage run; empty: this process's own.
	Program string
}

// A Cluster runs until Close.
type Cluster struct {
	Address string // as in https://127.0.0.1:40123
	ca      []byte
	options Options
	token   string
	objects *objects
	server  *http.Server
	stop    context.CancelFunc
	running context.Context
	work    sync.WaitGroup
	kubelet *kubelet
}

// Start brings a cluster up on loopback.
func Start(o Options) (*Cluster, error) {
	if o.Speed <= 0 {
		o.Speed = 1
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	b := make([]byte, 24)
	_, _ = rand.Read(b)
	cert, ca, err := certificate()
	if err != nil {
		return nil, err
	}
	c := &Cluster{Address: "https://" + l.Addr().String(), ca: ca, options: o, token: hex.EncodeToString(b), objects: newObjects()}
	c.running, c.stop = context.WithCancel(context.Background())
	c.seed()
	c.kubelet = &kubelet{c: c, pulled: map[string]bool{}, tries: map[string]int{}, woken: make(chan struct{}, 1)}
	c.work.Go(c.kubelet.run)
	c.work.Go((&jobs{c: c, state: map[string]*jobState{}}).run)
	c.server = &http.Server{
		Handler: c, ReadHeaderTimeout: 10 * time.Second,
		BaseContext: func(net.Listener) context.Context { return c.running },
	}
	c.server.TLSConfig = &tls.Config{Certificates: []tls.Certificate{cert}, MinVersion: tls.VersionTLS12}
	c.server.ErrorLog = log.New(io.Discard, "", 0)
	c.work.Go(func() { _ = c.server.ServeTLS(l, "", "") })
	return c, nil
}

// Close ends the cluster and everything that it pretends.
func (c *Cluster) Close() error {
	c.stop()
	err := c.server.Close()
	c.work.Wait()
	return err
}

// Kubeconfig writes a kubeconfig with which the cluster's owner reaches it, readable
// by its owner only.
func (c *Cluster) Kubeconfig(path string) error {
	name := c.options.Name
	config := clientcmdapi.NewConfig()
	config.Clusters[name] = &clientcmdapi.Cluster{Server: c.Address, CertificateAuthorityData: c.ca}
	config.AuthInfos[name] = &clientcmdapi.AuthInfo{Token: c.token}
	config.Contexts[name] = &clientcmdapi.Context{Cluster: name, AuthInfo: name}
	config.CurrentContext = name
	b, err := clientcmd.Write(*config)
	if err != nil {
		return err
	}
	return os.WriteFile(path, b, 0o600)
}

// pretend waits for a time of life, at the cluster's speed.
func (c *Cluster) pretend(d time.Duration) bool {
	t := time.NewTimer(time.Duration(float64(d) / c.options.Speed))
	defer t.Stop()
	select {
	case <-t.C:
		return true
	case <-c.running.Done():
		return false
	}
}

// seed puts the nodes of the pools' least sizes there, and the namespaces that
// every cluster has.
func (c *Cluster) seed() {
	for _, ns := range []string{"default", "kube-system"} {
		c.objects.put(namespaces, object{
			"apiVersion": "v1", "kind": "Namespace", "metadata": object{"name": ns},
			"status": object{"phase": "Active"},
		})
	}
	if c.options.Facts == nil {
		return
	}
	for _, p := range c.options.Facts.Pools {
		for i := range p.Min {
			c.addNode(p, i)
		}
	}
}

// addNode makes a node of a pool.
func (c *Cluster) addNode(p document.Pool, i int) string {
	name := fmt.Sprintf("%s-%03d", p.Name, i+1)
	for _, t := range c.options.Facts.NodeTypes {
		if t.Name != p.NodeType {
			continue
		}
		labels := object{"kubernetes.io/hostname": name}
		for k, v := range fleet.Labels(p) {
			labels[k] = v
		}
		taints := []any{}
		for _, x := range p.Taints {
			taints = append(taints, object{"key": x.Key, "value": x.Value, "effect": string(x.Effect)})
		}
		room := object{
			"cpu": (t.CPU - t.Reserved.CPU).String(), "memory": fmt.Sprint(int64(t.Memory - t.Reserved.Memory)),
			"pods": fmt.Sprint(t.Pods - t.Reserved.Pods),
		}
		if t.Disk > 0 {
			room["ephemeral-storage"] = fmt.Sprint(int64(t.Disk - t.Reserved.Disk))
		}
		c.objects.put(nodes, object{
			"apiVersion": "v1", "kind": "Node", "metadata": object{"name": name, "labels": labels}, "spec": object{"taints": taints},
			"status": object{
				"allocatable": room, "capacity": room,
				"conditions": []any{object{"type": "Ready", "status": "True", "lastTransitionTime": time.Now().UTC().Format(time.RFC3339)}},
			},
		})
	}
	return name
}

// Put keeps the objects of a stream of manifests, as if someone had applied them
// before.
func (c *Cluster) Put(stream string) error {
	for _, text := range strings.Split("\n"+stream, "\n---\n") {
		var o object
		if err := yaml.Unmarshal([]byte(text), &o); err != nil {
			return err
		}
		if len(o) == 0 {
			continue
		}
		i := slices.IndexFunc(resources, func(r apiResource) bool { return r.kind == o["kind"] })
		if i < 0 {
			return fmt.Errorf("the stand-in has no %v", o["kind"])
		}
		if resources[i] == secrets {
			sealed(o)
		}
		c.objects.put(resources[i], o)
	}
	return nil
}
