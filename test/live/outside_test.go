package live

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/core/kit"
	"tachyphor/internal/kube"
	"tachyphor/wire"
)

// A controller outside the cluster gets a key for a while, or one that lasts: either is the account's and no
// more, is told for what it is, is renewed, and ends when it is taken away.
func TestKeysForOutside(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		ctx := context.Background()
		plan := p.plan(t)
		if _, err := p.conn.MakeKey(ctx, namespace, "", time.Hour); err == nil {
			t.Error("a key without an account")
		}
		p.apply(t, plan.Kit)
		p.settle(t)
		open := func(k kube.Key) *kube.Cluster {
			t.Helper()
			text, err := k.Kubeconfig()
			if err != nil {
				t.Fatal(err)
			}
			path := filepath.Join(t.TempDir(), "key.yaml")
			if err := os.WriteFile(path, text, 0o600); err != nil {
				t.Fatal(err)
			}
			conn, err := kube.Connect(kube.Options{Kubeconfig: path})
			if err != nil {
				t.Fatal(err)
			}
			return conn
		}
		told := func(conn *kube.Cluster) map[string]wire.Check {
			out := map[string]wire.Check{}
			for _, c := range conn.Preflight(ctx, plan, func(wire.Check) {}) {
				out[c.Name] = c
			}
			return out
		}
		token := "token of " + namespace + ":" + kit.Account
		short, err := p.conn.MakeKey(ctx, namespace, "", time.Hour)
		if err != nil {
			t.Fatal(err)
		}
		if left := time.Until(short.Until); left < 50*time.Minute || left > 70*time.Minute {
			t.Errorf("asked for an hour, good for %v", left)
		}
		lasting, err := p.conn.MakeKey(ctx, namespace, "", 0)
		if err != nil || !lasting.Until.IsZero() {
			t.Fatalf("%v %+v", err, lasting)
		}
		renewed, err := p.conn.MakeKey(ctx, namespace, "", 2*time.Hour)
		if err != nil || renewed.Token == short.Token {
			t.Fatalf("%v", err)
		}
		keys := map[string]*kube.Cluster{"for a while": open(short), "renewed": open(renewed), "that lasts": open(lasting)}
		for what, conn := range keys {
			checks := told(conn)
			rights := 0
			for name, c := range checks {
				if strings.HasPrefix(name, kit.Account+" may ") {
					rights++
					if c.State != wire.CheckPassed {
						t.Errorf("%s: %+v", what, c)
					}
				}
			}
			if rights != 7 {
				t.Errorf("%s: %d rights", what, rights)
			}
			if c := checks["server's certificate"]; !strings.Contains(c.Says, "good until") {
				t.Errorf("%s: %+v", what, c)
			}
			c := checks[token]
			if what == "that lasts" && (c.State != wire.CheckUnclear || !strings.Contains(c.Says, "never ends by itself")) ||
				what != "that lasts" && (c.State != wire.CheckPassed || !strings.Contains(c.Says, "good until")) {
				t.Errorf("%s: %+v", what, c)
			}
		}
		ended, err := p.conn.EndKeys(ctx, namespace)
		if err != nil || len(ended) != 2 {
			t.Fatalf("%v %v", err, ended)
		}
		began := time.Now()
		for what, conn := range keys {
			eventually(t, "the key "+what+" to end", func() bool {
				c := told(conn)["cluster reached"]
				return c.State == wire.CheckFailed && strings.Contains(c.Do, "does not know who asks")
			})
		}
		t.Logf("all ended after %v", time.Since(began))
		if ended, err := p.conn.EndKeys(ctx, namespace); err != nil || len(ended) != 0 {
			t.Errorf("%v %v", err, ended)
		}
		// After the end a new key is another one, and the old ones stay ended.
		again, err := p.conn.MakeKey(ctx, namespace, "", time.Hour)
		if err != nil {
			t.Fatal(err)
		}
		if c := told(open(again))["cluster reached"]; c.State != wire.CheckPassed {
			t.Errorf("%+v", c)
		}
		if c := told(keys["for a while"])["cluster reached"]; c.State != wire.CheckFailed {
			t.Errorf("the old key is good again: %+v", c)
		}
		for what, bad := range map[string]struct {
			namespace, address string
			lasts              time.Duration
		}{
			"a minute": {namespace, "", time.Minute}, "a year": {namespace, "", 365 * 24 * time.Hour},
			"open network": {namespace, "http://10.0.0.1", time.Hour}, "no account": {"kube-system", "", time.Hour},
		} {
			if _, err := p.conn.MakeKey(ctx, bad.namespace, bad.address, bad.lasts); err == nil {
				t.Errorf("%s: a key is made", what)
			}
		}
	})
}
