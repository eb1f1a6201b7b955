package signin

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/wire"
)

// What is wrong with settings is told by its field.
func TestSettingsThatAreNone(t *testing.T) {
	good := "issuer: https://id.slipway.example\nclient: c\naddress: https://t.slipway.example\nroles: {g: viewer}\n"
	for text, want := range map[string]string{
		good:                  "",
		good + "age: 1h\n":    "",
		good + "issuers: x\n": "unknown field",
		"":                    "issuer",
		strings.Replace(good, "https://id", "http://id", 1):      "https, or http on this machine",
		strings.Replace(good, "client: c\n", "", 1):              "client",
		strings.Replace(good, "{g: viewer}", "{}", 1):            "nobody can sign in",
		strings.Replace(good, "{g: viewer}", "{g: events}", 1):   "no role \"events\"",
		strings.Replace(good, "{g: viewer}", "{g: boss}", 1):     "no role \"boss\"",
		good + "everyone: boss\n":                                "everyone",
		good + "age: 1s\n":                                       "age",
		good + "secretFile: /no/such\n":                          "secretFile",
		good + "caFile: /no/such\n":                              "caFile",
		strings.Replace(good, "https://t.", "https://u:p@t.", 1): "address",
	} {
		path := filepath.Join(t.TempDir(), "oidc.yaml")
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		_, err := Read(path)
		if (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// Names that a provider tells are cut to what a name may be; groups may be a list or one.
func TestNamesAndGroups(t *testing.T) {
	claims := func(text string) map[string]json.RawMessage {
		out := map[string]json.RawMessage{}
		if err := json.Unmarshal([]byte(text), &out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	for text, want := range map[string]string{
		`{"preferred_username": "mira"}`:                               "mira",
		`{"preferred_username": " ", "email": "mira@slipway.example"}`: "mira@slipway.example",
		`{"preferred_username": 7, "name": "Mira\u0000/ Ås\u202e"}`:    "Mira Ås",
		`{}`: "subject",
		`{"name": "` + strings.Repeat("å", 100) + `"}`: strings.Repeat("å", 63),
	} {
		if got := named(claims(text), "subject"); got != want {
			t.Errorf("%s: %q", text, got)
		}
	}
	p := &Provider{Settings: Settings{Roles: map[string]wire.Role{"a": wire.Viewer, "b": wire.Operator}, Everyone: ""}}
	for text, want := range map[string]wire.Role{
		`["a", "b"]`: wire.Operator, `["b", "a"]`: wire.Operator, `"a"`: wire.Viewer, `["c"]`: "", `[]`: "", `{"a": 1}`: "", `[1]`: "", `null`: "",
	} {
		if got := p.role(json.RawMessage(text)); got != want {
			t.Errorf("%s: %q", text, got)
		}
	}
	if got := p.role(nil); got != "" {
		t.Errorf("no claim: %q", got)
	}
}

// A provider that is away is an error, not a wait.
func TestProviderIsAway(t *testing.T) {
	p, err := New(Settings{Issuer: "http://127.0.0.1:1", Client: "c", Address: "http://127.0.0.1:2", Everyone: wire.Viewer})
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := p.Begin(); err == nil || !strings.Contains(err.Error(), "does not answer") {
		t.Error(err)
	}
}
