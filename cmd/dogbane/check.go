package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"dogbane/internal/bookfile"
)

// checkCommand runs files of expected prices. Exit code 1: a difference; 2: a file that cannot be read.
func checkCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "check FILE...",
		Short: "Compare the prices that files expect with those that their books give",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, files []string) error {
			code := 0
			for _, file := range files {
				diffs, err := checkFile(file)
				for _, d := range diffs {
					fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", file, d)
					code = max(code, 1)
				}
				if err != nil {
					fmt.Fprintf(cmd.ErrOrStderr(), "%s: %v\n", file, err)
					code = 2
				}
			}
			if code != 0 {
				return exit(code)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%d files agree\n", len(files))
			return nil
		},
	}
}

func checkFile(name string) ([]bookfile.Difference, error) {
	data, err := readQuestions(name)
	if err != nil {
		return nil, err
	}
	f, err := bookfile.ReadCheck(data)
	if err != nil {
		return nil, err
	}
	return f.Run()
}
