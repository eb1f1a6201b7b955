package console

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/test/running"

	"github.com/chromedp/chromedp/kb"
)

// The way of a template: read what is wrong with a draft, mend it, see the
// difference, save it, look at its revisions.
func TestMendADraft(t *testing.T) {
	t.Parallel()
	s, c := running.StartWithCluster(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.must(q.p.Press("t"))
	q.reads("main table", "compile-wide-draft", "3 will not work", "nothing to say", "6 scenarios")
	q.click(`a[href="/templates/compile-wide-draft"]`)
	q.reads("[data-finding=start-asleep]", "only waits", "will not work", "Mend it")
	q.reads("#portrait", "1 on a node of burst (sixteen-64)", "no scenario uses it")
	q.must(q.p.Until(`document.querySelectorAll(".cm-lint-marker-error").length === 3`))
	q.must(q.p.Until(`document.querySelector("#save").disabled`))
	q.click("[data-finding=start-asleep] .btn")
	q.reads("[data-diff]", "command: [sh")
	q.must(q.p.Until(`!document.querySelector("[data-finding=start-asleep]")`))
	q.click("#fix-all")
	q.must(q.p.Until(`!document.querySelector("[data-finding=starts-again]") && !!document.querySelector("[data-finding=image-floats]")`))
	q.reads("#manifest", "restartPolicy: Never", "arm-cross")
	q.click("#save")
	q.reads("main", "as stored", "revision 2")
	d, err := c.Get(context.Background(), document.KindPodTemplate, "compile-wide-draft", 0)
	if err != nil || d.Revision != 2 || !strings.Contains(d.Text, "# The first draft of compile-wide") || strings.Contains(d.Text, "sleep") {
		t.Errorf("%+v, %v", d, err)
	}
	q.click(`a[href$="?view=revisions"]`)
	q.reads("[data-diff]", `command: [sh, -c, "sleep 86400"]`, "restartPolicy: Never")
	// The schema knows what may stand where.
	q.goTo("/templates/suite-night")
	q.must(q.p.Until(`document.querySelector(".cm-content") !== null`))
	for _, c := range []struct{ line, typed, offered string }{
		{"restartPolicy: Never", "    prio", "priorityClassName"},
		{"workingDir: /workspace", "        imageP", "imagePullPolicy"},
	} {
		q.click(".cm-content")
		n, err := q.p.Number(fmt.Sprintf(`1 + [...document.querySelectorAll(".cm-line")].findIndex((e) => e.innerText.includes(%q))`, c.line))
		q.must(err)
		q.click(fmt.Sprintf(".cm-line:nth-child(%d)", int(n)))
		q.must(q.p.Press(kb.End))
		q.must(q.p.Press(kb.Enter))
		q.must(q.p.Press(c.typed))
		q.must(q.p.Until(fmt.Sprintf(`[...document.querySelectorAll(".cm-tooltip-autocomplete li")].some((e) => e.innerText === %q)`, c.offered)))
		q.must(q.p.Press(kb.Escape))
	}
	// What cannot be read is told with its line, and cannot be saved.
	q.goTo("/templates/small-steady")
	q.must(q.p.Until(`document.querySelector(".cm-content") !== null`))
	q.click(".cm-content")
	q.must(q.p.Press("[nonsense: "))
	q.reads(`[role="alert"]`, "refused: 1 fault")
	q.must(q.p.Until(`!!document.querySelector(".cm-lint-marker-error")`))
	q.must(q.p.Until(`document.querySelector("#save").disabled`))
	q.quietBut("422") // the browser reports refused requests as errors
}

// quietBut is quiet for pages on which requests are refused on purpose.
func (q *person) quietBut(expected string) {
	q.t.Helper()
	for _, m := range q.p.Messages() {
		if !strings.Contains(m, expected) {
			q.t.Errorf("the browser complains: %s", m)
		}
	}
}

// Seven questions make a template of which no rule has anything grave to say; its
// kit is there to copy, the connection passes, and an agent of it is rehearsed.
func TestFirstTemplate(t *testing.T) {
	t.Parallel()
	s, c := running.StartWithCluster(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.goTo("/templates/new")
	for _, a := range [][2]string{
		{"#namespace", "slipway"},
		{"#controller", "http://dispatch.slipway.svc:8080"},
		{"#secret", "slipway-join/token"},
		{"#name", "first-steps"},
		{"#offers", "linux, web"},
		{"#image", "images.brinewell.example/agents/steady:2026.9"},
		{"#cpu", "2"},
	} {
		q.see(a[0])
		q.must(q.p.Type(a[0], a[1]))
		if a[0] == "#cpu" {
			q.must(q.p.Type("#memory", "lots"))
			q.must(q.p.Type("#workspace", "8Gi"))
		}
		q.click("#next")
	}
	q.reads(`[role="alert"]`, "not an amount of bytes")
	q.must(q.p.Type("#memory", "4Gi"))
	q.click("#next")
	q.reads("#manifest", "name: first-steps", "secretKeyRef")
	q.reads("#portrait", "2 CPU, 4 GiB of memory, 8 GiB of disk", "slipway-join (token)")
	q.click("#save")
	q.must(q.p.Until(`location.pathname === "/templates/first-steps"`))
	q.reads("main h1", "first-steps")
	q.must(q.p.Until(`!document.querySelector("[data-finding] .text-error")`))
	q.click(`a[href$="?view=kit"]`)
	q.reads(`[data-manifest="rights.yaml"]`, "kind: Role", "agent-maker")
	q.reads(`[data-manifest="network.yaml"]`, "10.40.0.0/16")
	// The ceilings are those of a scenario that uses a template, or of none.
	q.goTo("/templates/compile-wide?view=kit")
	q.reads("main", "kind: ResourceQuota")
	q.must(q.p.Choose("#ceilings", "-"))
	q.must(q.p.Until(`location.search.includes("scenario=-") && document.querySelector("[data-manifest]") !== null && !document.querySelector("main").innerText.includes("ResourceQuota")`))
	q.goTo("/templates/first-steps?view=live")
	q.click("#preflight")
	q.reads("#checks[data-done=true]", "0 failed, 0 could not be decided.")
	q.reads("main", "agent-maker may delete pods", "something answers, asked through the API server")
	q.click("#rehearse")
	q.reads("#rehearsal[data-done=true]", "came up, did its job and went", "node: node version 1.0", "the pod is gone")
	q.quietBut("422")
	list, err := c.NewestWork(context.Background(), client.Which{Kinds: client.Trials, About: "first-steps"})
	if err != nil || len(list) != 2 || list[0].State != "done" {
		t.Fatalf("%+v, %v", list, err)
	}
	q.reads("main", fmt.Sprintf("rehearsal %d", list[0].ID), fmt.Sprintf("preflight %d", list[1].ID))
}
