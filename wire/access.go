package wire

import (
	"encoding/json"
	"os"
	"path/filepath"
)

// DefaultAddress is where the service listens unless told otherwise.
const DefaultAddress = "127.0.0.1:7420"

// Access is how a client reaches the service. It is kept in a file that only
// its owner can read.
type Access struct {
	Address string `json:"address"`
	Token   string `json:"token"`
	// Certificate is that of the service, PEM; empty: it is without TLS.
	Certificate string `json:"certificate,omitempty"`
}

// AccessFile is where the owner's access is kept.
func AccessFile(state string) string { return filepath.Join(state, "access.json") }

// ReadAccess returns the access that a service on this machine left for its
// owner.
func ReadAccess(state string) (Access, error) {
	var a Access
	b, err := os.ReadFile(AccessFile(state))
	if err == nil {
		err = json.Unmarshal(b, &a)
	}
	return a, err
}
