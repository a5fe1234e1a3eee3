// Command dogbane is the program: it serves the workbench and answers questions about price books from files.
package main

import (
	"errors"
	"fmt"
	"log/slog"
	"os"
	_ "time/tzdata" // time zones do not depend on the machine

	"github.com/spf13/cobra"
)

// exit is an error that only sets the exit code; what there is to say has been said.
type exit int

func (e exit) Error() string { return fmt.Sprintf("exit code %d", int(e)) }

// unreadable is an error of a file that cannot be read; the exit code is 2.
type unreadable struct{ error }

func (e unreadable) Unwrap() error { return e.error }

func main() {
	level := slog.LevelInfo
	if os.Getenv("DOGBANE_DEBUG") != "" {
		level = slog.LevelDebug
	}
	slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level})))
	root := &cobra.Command{Use: "dogbane",
		Short:        "Layered prices: what everything costs, for whom, where and when, and why",
		SilenceUsage: true, SilenceErrors: true, CompletionOptions: cobra.CompletionOptions{DisableDefaultCmd: true}}
	root.AddCommand(checkCommand(), priceCommand(), flagsCommand(), diffCommand(), schemaCommand(), exportCommand(),
		importCommand(), restoreCommand(), serveCommand(), openapiCommand())
	if err := root.Execute(); err != nil {
		var code exit
		if errors.As(err, &code) {
			os.Exit(int(code))
		}
		fmt.Fprintln(os.Stderr, "dogbane:", err)
		if errors.As(err, &unreadable{}) {
			os.Exit(2)
		}
		os.Exit(1)
	}
}
