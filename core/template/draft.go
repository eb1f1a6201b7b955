package template

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"tachyphor/core/units"
)

// Answers are what someone says who makes a first template: seven questions, in
// the order of the work.
type Answers struct {
	Namespace  string   `json:"namespace" doc:"Where agents live: a namespace of their own."`
	Controller string   `json:"controller" doc:"Address at which agents reach the controller inside the cluster, as in http://dispatch.slipway.svc:8080."`
	Name       string   `json:"name" doc:"Name of the template."`
	Offers     []string `json:"offers" doc:"What its agents can do: words that jobs want."`
	Takes      string   `json:"takes,omitempty" enum:"any,named" doc:"any: also jobs that want nothing; named: only those that want something it offers; absent: any."`
	Image      string   `json:"image" doc:"Image of the agent, with a tag that stays."`
	// The size of one agent.
	CPU    units.MilliCPU `json:"cpu" doc:"CPU that one job keeps busy."`
	Memory units.Bytes    `json:"memory" doc:"Memory that one job needs at its peak."`
	// How the agent shows who it is, and where it works.
	Secret    string      `json:"secret,omitempty" doc:"Secret with the token by which agents join, as name/key; empty: none is needed."`
	Workspace units.Bytes `json:"workspace" doc:"Disk that one job's workspace takes."`
	// Longest is after how long an agent that hangs ends; 0: longestLife.
	Longest units.Duration `json:"longest,omitempty" doc:"How long an agent may live at most, so that one that hangs ends; absent: 4h."`
}

// What a first template has where nothing else is said, and the least that makes sense.
const (
	longestLife  = 4 * units.Hour
	leastLife    = units.Minute
	leastPortion = units.Bytes(16 << 20) // of memory or disk: less is a number without its unit
)

var (
	dnsLabel = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$`)
	word     = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._+-]{0,62}$`)
	image    = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._:/@-]{0,250}$`)
	secret   = regexp.MustCompile(`^[a-z0-9]([a-z0-9.-]{0,251}[a-z0-9])?/[A-Za-z0-9._-]{1,253}$`)
)

// A Question that was answered in a way that no template can be made of.
type Question struct {
	Field  string `json:"field" doc:"Which answer."`
	Reason string `json:"reason" doc:"What is wrong with it, and how it is written."`
}

// Draft writes a first template from answers, or says what is wrong with them, all
// at once.
func (a Answers) Draft() (text string, wrong []Question) {
	no := func(field, reason string) { wrong = append(wrong, Question{field, reason}) }
	if !dnsLabel.MatchString(a.Namespace) || a.Namespace == "default" {
		no("namespace", "name a namespace of its own in lower-case letters, digits and dashes, as in slipway")
	}
	if u, err := url.Parse(a.Controller); err != nil ||
		u.Scheme != "http" && u.Scheme != "https" && u.Scheme != "ws" && u.Scheme != "wss" || u.Hostname() == "" ||
		strings.ContainsAny(a.Controller, "\" \n") {
		no("controller", "write the address as agents see it, as in http://dispatch.slipway.svc:8080")
	}
	if !dnsLabel.MatchString(a.Name) || len(a.Name) > 57 {
		no("name", "choose a name of at most 57 lower-case letters, digits and dashes, as in small-steady")
	}
	if len(a.Offers) == 0 || slices.ContainsFunc(a.Offers, func(w string) bool { return !word.MatchString(w) }) {
		no("offers", "list the words that jobs want, as in linux, go")
	}
	if a.Takes != "" && a.Takes != TakesAny && a.Takes != TakesNamed {
		no("takes", "write any or named, as in named where only jobs that want something shall come")
	}
	if !image.MatchString(a.Image) {
		no("image", "name an image with its tag, as in images.brinewell.example/agents/steady:2026.9")
	}
	if a.CPU <= 0 {
		no("cpu", "say how many cores a job keeps busy, as in 2 or 1500m")
	}
	if a.Memory < leastPortion {
		no("memory", "say what a job needs at its peak, with its unit, as in 3Gi")
	}
	if a.Secret != "" && !secret.MatchString(a.Secret) {
		no("secret", "name the Secret and its key, as in slipway-join/token")
	}
	if a.Workspace < leastPortion {
		no("workspace", "say how much disk a job's workspace takes, with its unit, as in 8Gi")
	}
	longest := a.Longest
	if longest == 0 {
		longest = longestLife
	}
	if longest < leastLife {
		no("longest", "say how long an agent may live at most, a minute or more, as in 4h")
	}
	if len(wrong) > 0 {
		return "", wrong
	}
	takes := ""
	if a.Takes == TakesNamed {
		takes = "    # Jobs that want nothing go elsewhere.\n    " + TakesAnnotation + ": " + TakesNamed + "\n"
	}
	token := ""
	if name, key, ok := strings.Cut(a.Secret, "/"); ok {
		token = fmt.Sprintf(`          # By reference: what is in the Secret never stands in a template.
          - name: JOIN_TOKEN
            valueFrom: {secretKeyRef: {name: %s, key: %s}}
`, name, key)
	}
	return fmt.Sprintf(`# Agents that offer %s.
apiVersion: v1
kind: PodTemplate
metadata:
  name: %s
  namespace: %s
  annotations:
    # A job comes here when everything it wants is among these words.
    tachyphor/offers: %s
%stemplate:
  metadata:
    labels: {app: %s-agent} # by which network rules know agents
  spec:
    restartPolicy: Never # an agent that is done is done
    automountServiceAccountToken: false # jobs need no key to the cluster
    terminationGracePeriodSeconds: 30
    activeDeadlineSeconds: %d # an agent that hangs ends then; leave it out where agents do job after job
    containers:
      - name: agent
        image: %s # no command: the image starts its agent itself
        workingDir: /workspace
        env:
          - {name: CONTROLLER_URL, value: "%s"}
%s        resources:
          requests: {cpu: %s, memory: %s, ephemeral-storage: %s}
          limits: {memory: %s} # the same as the request; no CPU limit, it would slow work on idle nodes
        volumeMounts:
          - {name: workspace, mountPath: /workspace}
    volumes:
      - name: workspace
        emptyDir: {sizeLimit: %s}
`, strings.Join(a.Offers, ", "), a.Name, a.Namespace, strings.Join(a.Offers, ", "), takes, a.Namespace, int64(longest.Seconds()), a.Image, a.Controller, token,
		a.CPU, a.Memory, a.Workspace, a.Memory, a.Workspace), nil
}
