// Package kube speaks to live clusters: it tests a connection right by right, and
// makes one real agent to see how it fares.
package kube

import (
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/go-logr/logr"
	"k8s.io/klog/v2"

	apierrors "k8s.io/apimachinery/pkg/api/errors"
	"k8s.io/client-go/dynamic"
	"k8s.io/client-go/kubernetes"
	"k8s.io/client-go/rest"
	"k8s.io/client-go/tools/clientcmd"
)

// ErrNoCluster says that there is nothing to connect to.
var ErrNoCluster = errors.New("no cluster to speak to: name a kubeconfig with --kubeconfig (on the command line KUBECONFIG counts too), or serve --in-cluster inside a cluster")

// Options say which cluster is meant.
type Options struct {
	Kubeconfig string // file; empty: KUBECONFIG, then the usual file, then the cluster that this runs in
	Context    string // empty: the current one
	Named      bool   // no kubeconfig counts but the one that is named
	Here       bool   // with Named: the cluster that this process runs in does
}

// A Cluster is a connection to a live cluster. It is safe for use by many
// goroutines.
type Cluster struct {
	Context string // name of the context, "in-cluster" inside one
	Inside  bool   // this process runs in the cluster
	config  *rest.Config
	// namespace is the context's own; empty: it names none.
	namespace string
	client    kubernetes.Interface
	patient   kubernetes.Interface // without a bound on a request, for watches
	dynamic   dynamic.Interface
}

// Bounds of a single request.
const (
	requestTime = 20 * time.Second
	queries     = 50 // a second
)

func rules(o Options) *clientcmd.ClientConfigLoadingRules {
	r := clientcmd.NewDefaultClientConfigLoadingRules()
	if o.Kubeconfig != "" {
		r.ExplicitPath = o.Kubeconfig
	} else if o.Named {
		r.Precedence = nil
	}
	return r
}

// Contexts lists the contexts that can be named, the current one first.
func Contexts(o Options) ([]string, error) {
	c, err := rules(o).Load()
	if err != nil {
		return nil, fmt.Errorf("cannot read the kubeconfig: %w", err)
	}
	var names []string
	for name := range c.Contexts {
		if name != c.CurrentContext {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	if _, ok := c.Contexts[c.CurrentContext]; ok {
		names = append([]string{c.CurrentContext}, names...)
	}
	if len(names) == 0 && inCluster() && (o.Here || !o.Named) {
		names = []string{insideName}
	}
	return names, nil
}

// ownNamespace names the namespace of a process that runs in a cluster.
const ownNamespace = "/var/run/secrets/kubernetes.io/serviceaccount/namespace"

// insideName is the context of a process that runs in a cluster.
const insideName = "in-cluster"

func inCluster() bool { return os.Getenv("KUBERNETES_SERVICE_HOST") != "" }

// quiet keeps client-go from writing to standard error by itself: what goes wrong is told by those
// who asked.
var quiet = sync.OnceFunc(func() { klog.SetLogger(logr.Discard()) })

// Connect opens a connection; nothing is sent yet.
func Connect(o Options) (*Cluster, error) {
	quiet()
	names, err := Contexts(o)
	if err != nil {
		return nil, err
	}
	if len(names) == 0 {
		return nil, ErrNoCluster
	}
	if o.Context == "" {
		o.Context = names[0]
	}
	if !slices.Contains(names, o.Context) {
		return nil, fmt.Errorf("the kubeconfig has no context %q; it has %s", o.Context, strings.Join(names, ", "))
	}
	c := &Cluster{Context: o.Context, Inside: o.Context == insideName}
	if c.Inside {
		c.config, err = rest.InClusterConfig()
		if b, unread := os.ReadFile(ownNamespace); unread == nil {
			c.namespace = strings.TrimSpace(string(b))
		}
	} else {
		loaded := clientcmd.NewNonInteractiveDeferredLoadingClientConfig(rules(o), &clientcmd.ConfigOverrides{CurrentContext: o.Context})
		if c.config, err = loaded.ClientConfig(); err == nil {
			c.namespace, _, err = loaded.Namespace()
		}
	}
	if err != nil {
		return nil, fmt.Errorf("context %s: %w", o.Context, err)
	}
	c.config.QPS, c.config.Burst, c.config.UserAgent, c.config.ContentType = queries, queries*2, "tachyphor", "application/json"
	c.config.WarningHandler = rest.NoWarnings{}
	if c.patient, err = kubernetes.NewForConfig(c.config); err != nil {
		return nil, fmt.Errorf("context %s: %w", o.Context, err)
	}
	c.config.Timeout = requestTime
	if c.client, err = kubernetes.NewForConfig(c.config); err != nil {
		return nil, fmt.Errorf("context %s: %w", o.Context, err)
	}
	if c.dynamic, err = dynamic.NewForConfig(c.config); err != nil {
		return nil, fmt.Errorf("context %s: %w", o.Context, err)
	}
	return c, nil
}

// as returns a connection that acts in a user's name.
func (c *Cluster) as(user string) (kubernetes.Interface, error) {
	config := rest.CopyConfig(c.config)
	config.Impersonate = rest.ImpersonationConfig{UserName: user}
	return kubernetes.NewForConfig(config)
}

// words returns what the server said, without the client's wrapping.
func words(err error) string {
	var status apierrors.APIStatus
	if errors.As(err, &status) {
		s := status.Status()
		if s.Details != nil && len(s.Details.Causes) > 0 {
			var all []string
			for _, c := range s.Details.Causes {
				if c.Field != "" {
					all = append(all, c.Field+": "+c.Message)
				}
			}
			if len(all) > 0 {
				return strings.Join(all, "; ")
			}
		}
		return s.Message
	}
	return err.Error()
}
