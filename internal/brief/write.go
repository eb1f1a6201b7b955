package brief

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"strings"
)

// Forms are what a brief may be written as.
var Forms = []string{"markdown", "html"}

//go:embed page.html
var source string

var page = template.Must(template.New("page").Funcs(template.FuncMap{
	"svg": func(s string) template.HTML { return template.HTML(s) }, // ours, with what comes from elsewhere escaped
	"lines": func(diff string) (out []diffLine) {
		for _, l := range strings.Split(strings.TrimRight(diff, "\n"), "\n") {
			class := ""
			switch {
			case strings.HasPrefix(l, "+"):
				class = "plus"
			case strings.HasPrefix(l, "-"):
				class = "minus"
			}
			out = append(out, diffLine{class, l})
		}
		return out
	},
}).Parse(source))

type diffLine struct{ Class, Text string }

// Write writes a brief in one of the forms.
func Write(out io.Writer, form string, b *Brief) error {
	if form == "html" {
		return page.Execute(out, b)
	}
	_, err := io.WriteString(out, b.markdown())
	return err
}

// markdown writes it for who reads in a repository or a chat; pictures are left to the other form.
func (b *Brief) markdown() string {
	var s strings.Builder
	fmt.Fprintf(&s, "# %s\n\n", plain(b.Title))
	for _, q := range b.Question {
		fmt.Fprintf(&s, "%s\n\n", plain(q))
	}
	for i, a := range b.Answer {
		if i == 0 {
			a = "**" + strings.TrimSpace(plain(a)) + "**"
		} else {
			a = plain(a)
		}
		fmt.Fprintf(&s, "%s\n\n", a)
	}
	if b.Costs != nil {
		b.Costs.markdown(&s)
	}
	list := func(title string, items []string) {
		if len(items) == 0 {
			return
		}
		fmt.Fprintf(&s, "## %s\n\n", title)
		for _, x := range items {
			fmt.Fprintf(&s, "- %s\n", plain(x))
		}
		s.WriteString("\n")
	}
	list("How sure", b.Sure)
	for i := range b.Tables {
		b.Tables[i].markdown(&s)
	}
	if b.Change != "" {
		fence := "```"
		for strings.Contains(b.Change, fence) {
			fence += "`"
		}
		fmt.Fprintf(&s, "## The change\n\n%sdiff\n%s\n%s\n\n", fence, strings.TrimRight(b.Change, "\n"), fence)
	}
	list("What to watch", b.Watch)
	if b.Rests != nil {
		b.Rests.markdown(&s)
		fmt.Fprintf(&s, "%s\n\n", plain(b.Known))
	}
	fmt.Fprintf(&s, "%s\n", plain(b.Made))
	return s.String()
}

func (t *Table) markdown(s *strings.Builder) {
	fmt.Fprintf(s, "## %s\n\n|", plain(t.Title))
	for _, h := range t.Head {
		fmt.Fprintf(s, " %s |", cell(h.Says))
	}
	s.WriteString("\n|")
	for _, h := range t.Head {
		if h.Right {
			s.WriteString("---:|")
		} else {
			s.WriteString("---|")
		}
	}
	s.WriteString("\n")
	for _, r := range t.Rows {
		s.WriteString("|")
		for _, c := range r {
			fmt.Fprintf(s, " %s |", cell(c))
		}
		s.WriteString("\n")
	}
	s.WriteString("\n")
	if t.Note != "" {
		fmt.Fprintf(s, "%s\n\n", plain(t.Note))
	}
}

// plain keeps words from being read as markup.
func plain(s string) string {
	return strings.NewReplacer("<", "&lt;", "*", "\\*", "\r", " ", "\n", " ").Replace(s)
}

// cell is plain in a table.
func cell(s string) string { return strings.ReplaceAll(plain(s), "|", "\\|") }
