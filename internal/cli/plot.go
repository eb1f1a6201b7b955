package cli

import (
	"bytes"
	"io"
	"os"

	"tachyphor/core/review"
	"tachyphor/core/sizing"
	"tachyphor/internal/figures"
)

// plotted reports whether a figure can be written to a file of that name.
func plotted(file string) error {
	_, err := figures.FormatOf(file)
	return err
}

// plotAdvice draws an advice into a file.
func plotAdvice(a *sizing.Advice, file string) error {
	return drawInto(file, func(out io.Writer, format string) error { return figures.Advice(out, format, a) })
}

// plotFits draws how agents go on nodes into a file.
func plotFits(f review.Fits, file string) error {
	return drawInto(file, func(out io.Writer, format string) error { return figures.Fits(out, format, f) })
}

func drawInto(file string, paint func(out io.Writer, format string) error) error {
	format, err := figures.FormatOf(file)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := paint(&b, format); err != nil {
		return err
	}
	return os.WriteFile(file, b.Bytes(), 0o644)
}
