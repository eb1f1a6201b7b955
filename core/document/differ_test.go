package document_test

import (
	"slices"
	"testing"

	"tachyphor/core/document"
)

const lean = `apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: lean}
spec:
  cluster: brinewell
  workload: spring
  templates:
  - template: compile-wide
    # the many
    agents: {spare: 2, linger: 10m}
  - template: lint
    agents:
      calendar:
      - {when: "Mon-Fri 07:00-19:00", spare: 3}
`

// What was edited is told in words; what only looks otherwise is not.
func TestDifferencesInWords(t *testing.T) {
	cases := map[string]struct {
		edits []document.Edit
		want  []string
	}{
		"nothing":           {nil, []string{}},
		"another spelling":  {[]document.Edit{{Op: "add", Path: "/spec/templates/0/agents/linger", Value: "600s"}}, []string{}},
		"a default written": {[]document.Edit{{Op: "add", Path: "/spec/templates/0/agents/every", Value: "5s"}}, []string{}},
		"a number": {
			[]document.Edit{{Op: "add", Path: "/spec/templates/0/agents/spare", Value: 4}},
			[]string{"compile-wide: spare is 4, was 2"},
		},
		"a number that was left out, and one taken away": {
			[]document.Edit{{Op: "add", Path: "/spec/templates/0/agents/ceiling", Value: 9}, {Op: "remove", Path: "/spec/templates/0/agents/spare"}},
			[]string{"compile-wide: spare is not set any more, was 2", "compile-wide: ceiling is 9, was not set"},
		},
		"in the calendar": {
			[]document.Edit{{Op: "replace", Path: "/spec/templates/1/agents/calendar/0/spare", Value: 5}},
			[]string{"lint, Mon-Fri 07:00-19:00: spare is 5, was 3"},
		},
		"order": {
			[]document.Edit{{Op: "move", From: "/spec/templates/1", Path: "/spec/templates/0"}},
			[]string{"order of templates is lint, compile-wide, was compile-wide, lint"},
		},
		"one more and one less": {
			[]document.Edit{
				{Op: "remove", Path: "/spec/templates/1"},
				{Op: "add", Path: "/spec/templates/-", Value: map[string]any{"template": "pack"}},
			},
			[]string{
				"templates: lint (agents reuse while-idle, prefer newest, linger 5m, every 5s, calendar when Mon-Fri 07:00-19:00, spare 3) taken away",
				"templates: pack (agents reuse while-idle, prefer newest, linger 5m, every 5s) added",
			},
		},
		"a part that was not there": {
			[]document.Edit{{Op: "add", Path: "/spec/quota", Value: map[string]any{"pods": 40, "cpu": "80"}}},
			[]string{"quota.pods is 40, was not set", "quota.cpu is 80, was not set"},
		},
		"caching of some classes": {
			[]document.Edit{{Op: "add", Path: "/spec/caching", Value: []any{map[string]any{"plan": "archive", "classes": []any{"a", "b"}}}}},
			[]string{"caching: classes a, b, plan archive, save when-changed, savedBy trunk, scope project, copies 1 added"},
		},
	}
	for name, c := range cases {
		t.Run(name, func(t *testing.T) {
			now := lean
			if len(c.edits) > 0 {
				var err error
				if now, err = document.Apply(lean, c.edits); err != nil {
					t.Fatal(err)
				}
			}
			found, err := document.Differences(one(t, lean), one(t, now))
			if err != nil {
				t.Fatal(err)
			}
			got := []string{}
			for _, d := range found {
				got = append(got, d.String())
			}
			if !slices.Equal(got, c.want) {
				t.Errorf("told %q, want %q", got, c.want)
			}
		})
	}
}

// An entry that is moved takes its comment along, in the text as in what it says.
func TestMove(t *testing.T) {
	was := one(t, lean)
	move := []document.Edit{{Op: "move", From: "/spec/templates/0", Path: "/spec/templates/1"}}
	text, err := document.Apply(lean, move)
	if err != nil {
		t.Fatal(err)
	}
	quick, faults, err := was.With(move)
	if err != nil || len(faults) > 0 {
		t.Fatal(err, faults)
	}
	now := one(t, text)
	if now.Digest != quick.Digest || now.Digest == was.Digest {
		t.Errorf("digests %s, %s, was %s", now.Digest, quick.Digest, was.Digest)
	}
	for i, name := range []string{"lint", "compile-wide"} {
		if got := now.Value.(*document.Scenario).Spec.Templates[i].Template; got != name {
			t.Errorf("at %d stands %s, want %s", i, got, name)
		}
	}
	for _, bad := range []document.Edit{
		{Op: "move", From: "/spec/templates/2", Path: "/spec/templates/0"},
		{Op: "move", From: "/spec/templates/0", Path: "/spec/templates/2"},
		{Op: "move", From: "/spec/templates/0", Path: "/spec/templates/-"},
		{Op: "move", From: "/spec/cluster", Path: "/spec/workload"},
		{Op: "move", From: "/spec/templates/0/template", Path: "/spec/templates/1/template"},
		{Op: "move", Path: "/spec/templates/0"},
	} {
		if _, err := document.Apply(lean, []document.Edit{bad}); err == nil {
			t.Errorf("%v was made", bad)
		}
		if _, _, err := was.With([]document.Edit{bad}); err == nil {
			t.Errorf("%v was made without the text", bad)
		}
	}
}
