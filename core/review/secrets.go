package review

import (
	"encoding/base64"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
)

// secretRules look at what should not be read by everyone. No message repeats a
// secret.
var secretRules = []Rule{
	{
		ID: "secret-in-plain", Severity: Risky, Title: "A secret in plain sight",
		Why: "Whoever may look at pods or at this file reads it: colleagues, dashboards, backups, the version history for ever. A " +
			"secret is named in a template and kept in a Secret.",
		Bad: `template: {spec: {containers: [{name: agent, env: [{name: JOIN_TOKEN, value: made-up-7f3a9c2e81d04b56}]}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, env: [{name: JOIN_TOKEN, valueFrom: {secretKeyRef: {name: slipway-join, key: token}}}]}]}}
`,
		find: secretInPlain,
	},
	{
		ID: "secret-base64", Severity: Risky, Title: "A secret that is only written in base64",
		Why: "Base64 is a way of writing bytes as letters; everyone can read it back, it takes no key. It hides nothing.",
		Bad: `template: {spec: {containers: [{name: agent, env: [{name: STORE_PASSWORD, value: bWFkZS11cC1wYXNzd29yZA==}]}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, env: [{name: STORE_PASSWORD, valueFrom: {secretKeyRef: {name: slipway-store, key: password}}}]}]}}
`,
		find: secretBase64,
	},
	{
		ID: "token-white-space", Severity: WillNotWork, Title: "A token with white space in it",
		Why: "A token copied from a page or a mail brings line breaks or blanks along. The agent sends them, the controller does " +
			"not know such a token, and the message speaks of rights and not of blanks.",
		Bad: `template: {spec: {containers: [{name: agent, env: [{name: JOIN_TOKEN, value: "made-up-7f3a9c2e\n81d04b56\n"}]}]}}
`,
		Good: `kind: Secret
apiVersion: v1
metadata: {name: slipway-join, namespace: slipway}
stringData: {token: made-up-7f3a9c2e81d04b56}
`,
		find: tokenWhiteSpace,
	},
	{
		ID: "secret-keys", Severity: WillNotWork, Title: "A Secret without the key that is taken from it",
		Why: "A container waits until the Secret that it names is there, and is not started when a key is missing; a value under " +
			"data that is not base64 is refused with the whole Secret. Both show long after the file was written, on another machine.",
		Bad: `template: {spec: {containers: [{name: agent, env: [{name: JOIN_TOKEN, valueFrom: {secretKeyRef: {name: slipway-join, key: token}}}]}]}}
---
kind: Secret
apiVersion: v1
metadata: {name: slipway-join, namespace: slipway}
stringData: {tokn: made-up-7f3a9c2e81d04b56}
`,
		Good: `template: {spec: {containers: [{name: agent, env: [{name: JOIN_TOKEN, valueFrom: {secretKeyRef: {name: slipway-join, key: token}}}]}]}}
---
kind: Secret
apiVersion: v1
metadata: {name: slipway-join, namespace: slipway}
stringData: {token: made-up-7f3a9c2e81d04b56}
`,
		find: secretKeys,
	},
	{
		ID: "token-mounted", Severity: Risky, Title: "Every job can speak to the cluster",
		Why: "Unless told otherwise, Kubernetes puts the service account's token into every container. A build runs code that " +
			"others wrote; it should not carry a key to the cluster that it never needs.",
		Bad: `template: {spec: {automountServiceAccountToken: null}}
`,
		Good: `template: {spec: {automountServiceAccountToken: false}}
`,
		find: tokenMounted,
	},
}

// secretKeys finds keys that a template names and that the Secret beside it has not, and
// those in whose place no base64 stands.
func secretKeys(x *subject) {
	for _, o := range x.secretsBeside() {
		var s struct {
			Data       map[string]string `json:"data"`
			StringData map[string]string `json:"stringData"`
		}
		o.Decode(&s)
		for _, key := range slices.Sorted(maps.Keys(s.Data)) {
			if _, err := base64.StdEncoding.DecodeString(strings.Join(strings.Fields(s.Data[key]), "")); err != nil {
				x.say("template.spec", "The key "+key+" of Secret "+o.Name+" stands under data and is not base64; the API server refuses the Secret.",
					"Write it in base64, or move it to stringData as it is.")
				x.elsewhere(o)
			}
		}
		if len(s.Data)+len(s.StringData) == 0 {
			continue // made empty, to be filled by hand
		}
		for _, use := range Secrets(x.spec) {
			if use.Name != o.Name || use.Optional {
				continue
			}
			for _, key := range use.Keys {
				_, a := s.Data[key]
				_, b := s.StringData[key]
				if !a && !b {
					there := append(slices.Collect(maps.Keys(s.Data)), slices.Collect(maps.Keys(s.StringData))...)
					slices.Sort(there)
					x.say("template.spec", "The template takes the key "+key+" of Secret "+o.Name+", which has "+listed(slices.Compact(there))+
						" and not that; its container does not start.",
						"Add the key to the Secret, or name one that it has.")
					x.elsewhere(o)
				}
			}
		}
	}
}

var (
	// secretName knows names that end with what the value is: JOIN_TOKEN is one, and
	// TOKEN_FILE, GIT_AUTHOR_EMAIL and PASSWORD_LENGTH are not.
	secretName = regexp.MustCompile(`(?i)(token|secret|passw(or)?d|passphrase|credentials?|api[-_]?key|private[-_]?key|access[-_]?key|(^|_)auth)([-_](value|text|b64|base64|[0-9]+))?$`)
	flagSecret = regexp.MustCompile(`(?i)^--?([a-z0-9]+-)*(token|secret|passw(or)?d|api-?key)(=(.*))?$`)
	// inAddress knows a password in a URL.
	inAddress = regexp.MustCompile(`[a-z][a-z0-9+.-]*://[^/\s:@$]*:[^/\s@$]+@[A-Za-z0-9\[]`)
	looksLike = regexp.MustCompile(`^eyJ[A-Za-z0-9_-]+\.|-----BEGIN [A-Z ]*PRIVATE KEY|^[a-z]{2,8}_[A-Za-z0-9]{24,}$|^AKIA[A-Z0-9]{16}$`)
)

// A plainValue is text in a template that is a secret by its name or its looks.
type plainValue struct {
	container, name, value string
	path                   string
	steps                  []any // to the value; nil for a part of an argument
}

// plainSecrets finds them in the environment and arguments of all containers.
func (x *subject) plainSecrets() []plainValue {
	var out []plainValue
	x.each(func(c *corev1.Container, path string, ptr []any) {
		for i, e := range c.Env {
			if e.Value == "" || e.ValueFrom != nil || strings.HasPrefix(e.Value, "$(") {
				continue
			}
			if secretName.MatchString(e.Name) && !plainWord(e.Value) || inAddress.MatchString(e.Value) ||
				looksLike.MatchString(strings.TrimSpace(e.Value)) {
				out = append(out, plainValue{c.Name, e.Name, e.Value, index(path+".env", i) + ".value", slices.Concat(ptr, []any{"env", i, "value"})})
			}
		}
		for _, list := range []struct {
			name  string
			words []string
		}{{"command", c.Command}, {"args", c.Args}} {
			for i, w := range list.words {
				value := ""
				if m := flagSecret.FindStringSubmatch(w); m != nil {
					if value = m[5]; m[4] == "" && i+1 < len(list.words) && !strings.HasPrefix(list.words[i+1], "-") {
						value = list.words[i+1]
					}
				} else if looksLike.MatchString(w) || inAddress.MatchString(w) {
					value = w
				}
				if plainWord(value) {
					continue
				}
				if value != "" && !strings.HasPrefix(value, "$") && !strings.HasPrefix(value, "/") {
					name, _, _ := strings.Cut(w, "=")
					if !strings.HasPrefix(name, "-") {
						name = "an argument"
					}
					out = append(out, plainValue{c.Name, name, value, index(path+"."+list.name, i), nil})
				}
			}
		}
	})
	return out
}

// plainWord reports whether a value is one of those that switch things on and
// off, or a path, or a number: no secret, whatever it is called.
func plainWord(v string) bool {
	return slices.Contains([]string{"true", "false", "none", "basic", "bearer", "oidc", "jwt", "0", "1"}, strings.ToLower(v)) ||
		strings.HasPrefix(v, "/") || strings.HasPrefix(v, "-") || strings.Trim(v, "0123456789") == ""
}

// decoded reports whether a value is base64 of readable text.
func decoded(v string) bool {
	v = strings.TrimSpace(v)
	if len(v) < 8 || len(v)%4 != 0 {
		return false
	}
	b, err := base64.StdEncoding.DecodeString(v)
	if err != nil || !utf8.Valid(b) || strings.ContainsRune(string(b), 0) {
		return false
	}
	for _, r := range string(b) {
		if !unicode.IsPrint(r) && !unicode.IsSpace(r) {
			return false
		}
	}
	return true
}

func secretInPlain(x *subject) {
	for _, s := range x.plainSecrets() {
		if decoded(s.value) {
			continue // said by secret-base64
		}
		x.say(s.path, fmt.Sprintf("%s of container %s is a secret and stands here for everyone to read.", s.name, s.container),
			"Put it into a Secret, name that here with valueFrom.secretKeyRef, and replace the secret itself: it has been seen.")
	}
}

func secretBase64(x *subject) {
	for _, s := range x.plainSecrets() {
		if decoded(s.value) {
			x.say(s.path, fmt.Sprintf("%s of container %s is base64 of plain text: anyone reads it back with one command. And the "+
				"container is given the letters of base64, not what they stand for.", s.name, s.container),
				"Put the plain text into a Secret and name that here with valueFrom.secretKeyRef; replace the secret, for it has been seen.")
		}
	}
}

// spaced reports whether a token would be sent with white space in it.
func spaced(v string) bool {
	return strings.ContainsFunc(v, unicode.IsSpace) && !strings.Contains(v, "-----BEGIN")
}

func tokenWhiteSpace(x *subject) {
	for _, s := range x.plainSecrets() {
		if !spaced(s.value) {
			continue
		}
		var fix []document.Edit
		if s.steps != nil {
			fix = append(fix, set(strings.Join(strings.Fields(s.value), ""), s.steps))
		}
		x.say(s.path, s.name+" has white space in it, as tokens have that were copied with line breaks; it will not be taken.",
			"Take the white space out.", fix...)
	}
	for _, o := range x.secretsBeside() {
		var s corev1.Secret
		o.Decode(&s)
		for _, key := range keysOf(s) {
			if v := s.StringData[key] + string(s.Data[key]); secretName.MatchString(key) && spaced(v) {
				x.say("template.spec", "The key "+key+" of Secret "+o.Name+" has white space in it; it will not be taken as a token.",
					"Write it again without line breaks (printf, not echo).")
				x.elsewhere(o)
			}
		}
	}
}

// secretsBeside lists the Secrets beside the template that it uses.
func (x *subject) secretsBeside() []document.Other {
	var out []document.Other
	for _, o := range x.shelf.Others {
		if o.Kind == "Secret" && o.APIVersion == "v1" && (o.Namespace == "" || o.Namespace == x.p.Namespace) && x.names(o.Name) {
			out = append(out, o)
		}
	}
	return out
}

func keysOf(s corev1.Secret) []string {
	var keys []string
	for k := range s.StringData {
		keys = append(keys, k)
	}
	for k := range s.Data {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return slices.Compact(keys)
}

// names reports whether the template uses a Secret.
func (x *subject) names(secret string) bool {
	for _, n := range Secrets(x.spec) {
		if n.Name == secret {
			return true
		}
	}
	return false
}

func tokenMounted(x *subject) {
	if a := x.spec.AutomountServiceAccountToken; a != nil && !*a {
		return
	}
	if n := x.spec.ServiceAccountName; n != "" && n != "default" {
		return // someone chose it, and may need its token
	}
	x.say("template.spec.automountServiceAccountToken",
		"The token of the namespace's default service account is mounted into every container, where each job can use it.",
		"Set automountServiceAccountToken: false.", set(false, []any{"template", "spec", "automountServiceAccountToken"}))
}

// A SecretUse is a Secret that a pod names, with the keys that it needs.
type SecretUse struct {
	Name     string
	Keys     []string // those that are named; none where all are taken
	Pull     bool     // it is for pulling images
	Optional bool     // the pod starts without it
}

// Secrets lists the Secrets that a pod names, by name.
func Secrets(spec *corev1.PodSpec) []SecretUse {
	uses := map[string]*SecretUse{}
	use := func(name, key string, pull bool, optional *bool) {
		if name == "" {
			return
		}
		u := uses[name]
		if u == nil {
			u = &SecretUse{Name: name, Optional: true}
			uses[name] = u
		}
		u.Pull = u.Pull || pull
		u.Optional = u.Optional && optional != nil && *optional
		if key != "" && !slices.Contains(u.Keys, key) {
			u.Keys = append(u.Keys, key)
		}
	}
	for _, list := range [][]corev1.Container{spec.InitContainers, spec.Containers} {
		for _, c := range list {
			for _, e := range c.Env {
				if e.ValueFrom != nil && e.ValueFrom.SecretKeyRef != nil {
					r := e.ValueFrom.SecretKeyRef
					use(r.Name, r.Key, false, r.Optional)
				}
			}
			for _, e := range c.EnvFrom {
				if e.SecretRef != nil {
					use(e.SecretRef.Name, "", false, e.SecretRef.Optional)
				}
			}
		}
	}
	for _, v := range spec.Volumes {
		if v.Secret != nil {
			use(v.Secret.SecretName, "", false, v.Secret.Optional)
			for _, i := range v.Secret.Items {
				use(v.Secret.SecretName, i.Key, false, v.Secret.Optional)
			}
		}
		if v.Projected == nil {
			continue
		}
		for _, p := range v.Projected.Sources {
			if p.Secret != nil {
				use(p.Secret.Name, "", false, p.Secret.Optional)
				for _, i := range p.Secret.Items {
					use(p.Secret.Name, i.Key, false, p.Secret.Optional)
				}
			}
		}
	}
	for _, r := range spec.ImagePullSecrets {
		use(r.Name, "", true, nil)
	}
	var out []SecretUse
	for _, u := range uses {
		slices.Sort(u.Keys)
		out = append(out, *u)
	}
	slices.SortFunc(out, func(a, b SecretUse) int { return strings.Compare(a.Name, b.Name) })
	return out
}
