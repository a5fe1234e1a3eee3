package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/owenrumney/go-sarif/v3/pkg/report/v210/sarif"
	"github.com/spf13/cobra"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// flagsCommand finds the flags of a file's book. Exit code 1: there is an error among them; 2: the file cannot be read.
func flagsCommand() *cobra.Command {
	var format, from, baseline string
	var days int
	c := &cobra.Command{
		Use:   "flags FILE",
		Short: "Find the flags of a book, or of a file's book for the spans in its ask list; exit code 1 if one is an error, 2 if the file cannot be read",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			write := map[string]func(io.Writer, string, []byte, []bookfile.FlagAnswer) error{"json": flagsAsJSON,
				"text": flagsAsText, "sarif": flagsAsSARIF}[format]
			if write == nil {
				return fmt.Errorf("--format: %q is none of json, text and sarif", format)
			}
			data, err := readQuestions(args[0])
			var found []bookfile.FlagAnswer
			if err == nil {
				found, err = flagsOf(data, from, days)
			}
			if err != nil {
				return unreadable{fmt.Errorf("%s: %w", args[0], err)}
			}
			if baseline != "" {
				if found, err = newSince(found, baseline); err != nil {
					return unreadable{fmt.Errorf("--baseline: %s: %w", baseline, err)}
				}
			}
			if err := write(cmd.OutOrStdout(), args[0], data, found); err != nil {
				return fmt.Errorf("write the flags: %w", err)
			}
			for i := range found {
				if found[i].Severity == string(flags.Error) {
					return exit(1)
				}
			}
			return nil
		},
	}
	c.Flags().StringVar(&format, "format", "json", "json, text, or sarif (SARIF 2.1.0)")
	c.Flags().StringVar(&from, "from", "", "of a book without questions: from which moment on, as 2026-11-27T10:00; empty: now")
	c.Flags().StringVar(&baseline, "baseline", "", "a file of flags as JSON that are known: only others are told, and count")
	c.Flags().IntVar(&days, "days", 90, "of a book without questions: how many days are looked at")
	return c
}

// flagsOf answers the questions of a file of checks, or looks at the days to come of a book that stands alone.
func flagsOf(data []byte, from string, days int) ([]bookfile.FlagAnswer, error) {
	var head struct{ Book json.RawMessage }
	if json.Unmarshal(data, &head) != nil || !bytes.HasPrefix(bytes.TrimSpace(head.Book), []byte(`"`)) {
		f, err := bookfile.ReadCheck(data)
		if err != nil {
			return nil, err
		}
		return f.AskFlags()
	}
	book, err := bookfile.Decode(data)
	if err != nil {
		return nil, err
	}
	zone, err := time.LoadLocation(book.Settings.TimeZone)
	if err != nil {
		return nil, fmt.Errorf("settings.timeZone: %w", err)
	}
	at := pricing.MomentOf(time.Now().In(zone))
	at -= at % pricing.Minute
	if from != "" {
		if at, err = pricing.ParseMoment(from); err != nil {
			return nil, fmt.Errorf("--from: %w", err)
		}
	}
	if days < 1 || days > 3660 {
		return nil, fmt.Errorf("--days: from 1 to 3660")
	}
	q := flags.Question{From: at, To: at + pricing.Moment(days)*pricing.Day}
	for i := range book.Channels {
		q.Channels = append(q.Channels, book.Channels[i].Code)
	}
	found, err := flags.Find(pricing.Compile(book), q)
	answers := make([]bookfile.FlagAnswer, len(found))
	for i := range found {
		answers[i] = bookfile.FlagAnswerOf(&found[i])
	}
	return answers, err
}

// newSince are the flags that are not among those of a file that this command wrote before: others by kind, by what
// they are about and by channel, whatever their figures.
func newSince(found []bookfile.FlagAnswer, file string) ([]bookfile.FlagAnswer, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	var list []bookfile.FlagAnswer
	if err := json.Unmarshal(data, &list); err != nil {
		return nil, fmt.Errorf("these are no flags as JSON: %w", err)
	}
	subject := func(f *bookfile.FlagAnswer) string {
		return strings.Join(append([]string{f.Kind, f.SKU, f.Rule, f.Channel, f.Words}, f.Rules...), "\x00")
	}
	known := map[string]bool{}
	for i := range list {
		known[subject(&list[i])] = true
	}
	return slices.DeleteFunc(found, func(f bookfile.FlagAnswer) bool { return known[subject(&f)] }), nil
}

func flagsAsJSON(w io.Writer, _ string, _ []byte, found []bookfile.FlagAnswer) error {
	return printJSON(w, found)
}

func flagsAsText(w io.Writer, file string, data []byte, found []bookfile.FlagAnswer) error {
	at := linesOf(data)
	for i := range found {
		f := &found[i]
		if _, err := fmt.Fprintf(w, "%s:%d: %s: %s: %s\n", file, at.of(f), f.Severity, f.Kind, flagText(f)); err != nil {
			return err
		}
	}
	return nil
}

// flagText tells a flag in a line.
func flagText(f *bookfile.FlagAnswer) string {
	parts := []string{f.SKU, f.Rule, strings.Join(f.Rules, ", "), f.Words}
	add := func(words string, value *string) {
		if value != nil {
			parts = append(parts, words+" "+*value)
		}
	}
	add("price", f.Price)
	add("against", f.Other)
	add("cost", f.Cost)
	add("left", f.MarginAmount)
	w := &f.Witness
	parts = append(parts, "at "+w.At)
	parts = append(parts, w.Channel, w.Customer, strings.Join(w.Groups, " "))
	if w.Quantity > 1 {
		parts = append(parts, fmt.Sprintf("%d pieces", w.Quantity))
	}
	if f.Cause != "" {
		parts = append(parts, "by "+f.Cause)
	}
	var said []string
	for _, p := range parts {
		if p != "" {
			said = append(said, p)
		}
	}
	return strings.Join(said, ", ")
}

func flagsAsSARIF(w io.Writer, file string, data []byte, found []bookfile.FlagAnswer) error {
	run := sarif.NewRunWithInformationURI("Dogbane", "")
	run.Tool.Driver.InformationURI = nil
	told, at := map[string]bool{}, linesOf(data)
	for i := range found {
		f := &found[i]
		if !told[f.Kind] {
			told[f.Kind] = true
			run.AddRule(f.Kind)
		}
		level := map[string]string{"error": "error", "warning": "warning", "note": "note"}[f.Severity]
		place := sarif.NewPhysicalLocation().
			WithArtifactLocation(sarif.NewSimpleArtifactLocation(filepath.ToSlash(file))).
			WithRegion(sarif.NewRegion().WithStartLine(at.of(f)))
		run.AddResult(sarif.NewRuleResult(f.Kind).WithLevel(level).
			WithMessage(sarif.NewTextMessage(flagText(f))).
			WithLocations([]*sarif.Location{sarif.NewLocation().WithPhysicalLocation(place)}))
	}
	report := sarif.NewReport()
	report.AddRun(run)
	return report.PrettyWrite(w)
}
