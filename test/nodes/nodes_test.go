//go:build linux

package nodes

import (
	"os"
	"testing"
)

func TestMain(m *testing.M) { os.Exit(Main(m)) }

func TestNodesComeUp(t *testing.T) {
	r := Rack(t, 1)
	t.Log(r.Config)
}
