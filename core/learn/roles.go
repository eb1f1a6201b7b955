package learn

import (
	"slices"
	"strings"
	"unicode"
)

// A role is what a column says of a job.
type role uint8

// The roles of columns.
const (
	roleID role = iota
	roleSubmitted
	roleStarted
	roleEnded
	roleWork
	roleWait
	roleClass
	roleName
	roleProject
	roleWants
	roleBranch
	roleChange
	roleResult
	roleAfter
	roleAttempt
	roleCache
	roleCores
	roleMemory
	roleDisk
	rolePod
	rolePhases
	manyRoles
)

var roleNames = [manyRoles]string{
	roleID:        "id",
	roleSubmitted: "submitted",
	roleStarted:   "started",
	roleEnded:     "ended",
	roleWork:      "work",
	roleWait:      "wait",
	roleClass:     "class",
	roleName:      "name",
	roleProject:   "project",
	roleWants:     "wants",
	roleBranch:    "branch",
	roleChange:    "change",
	roleResult:    "result",
	roleAfter:     "after",
	roleAttempt:   "attempt",
	roleCache:     "cache",
	roleCores:     "cores",
	roleMemory:    "memory",
	roleDisk:      "disk",
	rolePod:       "pod",
	rolePhases:    "phases",
}

func (r role) String() string { return roleNames[r] }

// roleOf finds a role by its name.
func roleOf(name string) (role, bool) {
	i := slices.Index(roleNames[:], name)
	return role(max(0, i)), i >= 0
}

// A roleInfo is how a role is known.
type roleInfo struct {
	role role
	doc  string
	// exact names say it for certain, words within a name make it likely. They are in lower
	// case, words parted by blanks.
	exact, words []string
}

// roles are all roles; of columns that could be several, the earlier one is meant.
var roles = []roleInfo{
	{
		roleSubmitted, "when the job asked for an agent",
		list(`submitted|submitted at|submit time|submission time|submit|queued|queued at|queue time at|enqueued|enqueued at|enqueue time|
			created|created at|creation time|create time|created on|requested|requested at|request time|triggered|triggered at|trigger time|
			received|received at|scheduled at|arrival|arrived|arrival time|time submitted|date submitted|time queued|queued on|queued time`),
		list(`submitted|submit|queued at|enqueued|created|requested|triggered|received|timestamp|time|date|datetime|when|ts|day|eingereiht`),
	},
	{
		roleStarted, "when it began on its agent",
		list(`started|started at|start|start time|started on|begin|began|begin time|run started|running at|time started|start date|started time`),
		list(`started|start|begin|began|beginn`),
	},
	{
		roleEnded, "when it was over",
		list(`ended|ended at|end|end time|finished|finished at|finish time|finish|completed|completed at|completion time|stopped|stopped at|
			end date|time finished|finished on|closed at|time ended`),
		list(`ended|end|finished|finish|completed|completion|stopped|ende`),
	},
	{
		roleWork, "how long it worked",
		list(`work|duration|run time|runtime|elapsed|elapsed time|took|build time|build duration|job duration|execution time|exec time|
			time taken|length|run duration|wall time|walltime|wall|dur|run length|time spent|active duration|dauer|
			seconds|secs|ms|millis|milliseconds|minutes|mins`),
		list(`duration|runtime|elapsed|took|execution|walltime|dur|dauer`),
	},
	{
		roleWait, "how long it waited for an agent",
		list(`wait|waited|queue|queued|wait time|waiting|waiting time|queue time|queued duration|queue duration|time in queue|
			time queued for|queued for|
			pending time|start delay|delay|in queue`),
		list(`wait|waiting|queue duration|queued duration|delay`),
	},
	{
		roleResult, "how it ended",
		list(`result|status|state|outcome|conclusion|verdict|exit|exit code|exit status|exitcode|success|succeeded|passed|build status|job status|
			final state|ergebnis`),
		list(`result|status|state|outcome|conclusion|exit|success`),
	},
	{
		roleClass, "its class",
		list(`class|job class|category|kind|type|job type|build type|job kind`),
		list(`class|category`),
	},
	{
		roleName, "its name, by which jobs are alike",
		list(`name|job|job name|task|task name|workflow|workflow name|pipeline name|definition|build name|title|job title|jobname|
			step|suite|auftrag`),
		list(`job|task|workflow|name|definition|suite`),
	},
	{
		roleProject, "its project",
		list(`project|project name|repo|repository|repository name|component|product|team|module|app|application|projekt|service`),
		list(`project|repo|repository|component|team`),
	},
	{
		roleWants, "words that its agent must offer",
		list(`wants|labels|tags|runner tags|requirements|requires|agent label|agent labels|capabilities|needs labels|runs on|node label|
			tag list|label|constraints|features|demands|required labels`),
		list(`labels|tags|label|capabilities|requirements|demands`),
	},
	{
		roleAfter, "the jobs that it came after",
		list(`after|depends on|dependencies|needs|parent|parent id|parent job|upstream|upstream id|predecessor|predecessors|triggered by id|
			waits for|parents|depends`),
		list(`parent|upstream|depends|predecessor|dependencies`),
	},
	{
		roleBranch, "the branch that it built",
		list(`branch|ref|git ref|branch name|source branch|git branch|head branch|ref name|zweig`),
		list(`branch|ref`),
	},
	{
		roleChange, "whether it built a change request",
		list(`change|event|trigger|trigger type|cause|reason|event type|source|build reason|change request|is change|event name`),
		list(`event|trigger|cause`),
	},
	{
		roleAttempt, "which try of it this was",
		list(`attempt|try|retry|retries|rerun|run attempt|attempts|retry count|tries|try number`),
		list(`attempt|retry|retries`),
	},
	{
		roleCache, "what it found of its workspace",
		list(`cache|cache hit|cache status|cached|cache result|warm|cache state`),
		list(`cache|cached`),
	},
	{
		roleCores, "cores that it kept busy",
		list(`cores|cpu|cpus|cpu cores|avg cpu|cpu used|cpu usage|mean cores|vcpu|vcpus|cores used`),
		list(`cores|cpu`),
	},
	{
		roleMemory, "its peak of memory",
		list(`memory|mem|peak memory|memory peak|max memory|max rss|maxrss|rss|ram|memory used|mem peak|peak mem|max mem|memory usage|mem used|
			max memory usage|speicher`),
		list(`memory|mem|rss|maxrss|ram`),
	},
	{
		roleDisk, "its peak of disk",
		list(`disk|peak disk|disk peak|disk used|storage|workspace size|disk usage|scratch|max disk|disk space`),
		list(`disk|storage|scratch`),
	},
	{
		rolePod, "the pod that it ran in",
		list(`pod|pod name|agent|agent name|runner|runner name|worker|worker name|executor|machine|host|hostname|built on|node name`),
		list(`pod|agent|runner|worker|host`),
	},
	{
		rolePhases, "what it waited for, as in node=86s image=12s",
		list(`phases|delay phases|waiting phases`),
		nil,
	},
	{
		roleID, "what names it",
		list(`id|job id|jobid|build id|uuid|guid|run id|task id|identifier|key|build number|build no|nr|no|number|job number|execution id|
			run number|build|#`),
		list(`id|uuid|guid|number`),
	},
}

func list(s string) []string {
	out := strings.Split(s, "|")
	for i := range out {
		out[i] = strings.Join(strings.Fields(out[i]), " ")
	}
	return out
}

// A JobRole is a role for people who name columns themselves.
type JobRole struct {
	Name string `json:"name" doc:"Name of the role."`
	Doc  string `json:"doc" doc:"What such a column says."`
}

// JobRoles lists what columns of a job log can say.
func JobRoles() []JobRole {
	out := make([]JobRole, len(roles))
	for i, r := range roles {
		out[i] = JobRole{r.role.String(), r.doc}
	}
	return out
}

// nameWords parts a column's name at blanks, signs and capitals, in lower case, without
// the unit that it may end with.
func nameWords(name string) (words []string, unit string) {
	var b strings.Builder
	prev := ' '
	for i, r := range name {
		switch {
		case unicode.IsUpper(r) && i > 0 && unicode.IsLower(prev):
			b.WriteByte(' ')
			b.WriteRune(unicode.ToLower(r))
		case unicode.IsLetter(r) || unicode.IsDigit(r) || r == '#':
			b.WriteRune(unicode.ToLower(r))
		default:
			b.WriteByte(' ')
		}
		prev = r
	}
	words = strings.Fields(b.String())
	if len(words) == 0 {
		return nil, ""
	}
	last := words[len(words)-1]
	if _, time := secondsOf[last]; len(words) == 1 && time && len(last) > 1 {
		return words, last
	}
	_, time := secondsOf[last]
	_, size := bytesOf[last]
	if len(words) > 1 && (time || size) {
		if len(words) > 2 && words[len(words)-2] == "in" {
			words = words[:len(words)-1]
		}
		return words[:len(words)-1], last
	}
	return words, ""
}

// named tells how well a column's name suits a role: 0 to 10.
func (i *roleInfo) named(name string) int {
	words, _ := nameWords(name)
	all := strings.Join(words, " ")
	if all == "" {
		return 0
	}
	if slices.Contains(i.exact, all) || slices.Contains(i.exact, strings.ReplaceAll(all, " ", "")) {
		return 10
	}
	if words, _ = nameWords(lastPart(name)); len(words) > 0 && slices.Contains(i.exact, strings.Join(words, " ")) {
		return 8 // of a field within objects
	}
	for _, w := range i.words {
		if strings.Contains(" "+all+" ", " "+w+" ") {
			return 5
		}
	}
	return 0
}

// lastPart is a name behind its last point.
func lastPart(name string) string { return name[strings.LastIndexByte(name, '.')+1:] }

// roleNamed reports whether a column's name suits any role.
func roleNamed(name string) bool {
	return slices.ContainsFunc(roles, func(i roleInfo) bool { return i.named(name) > 0 })
}
