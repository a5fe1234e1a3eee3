package main

import (
	"encoding/json"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"dogbane/internal/bookfile"
	"dogbane/internal/server"
)

// priceCommand answers the questions of a file.
func priceCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "price FILE",
		Short: "Answer the questions in a file's ask list as JSON, with trails",
		Args:  cobra.ExactArgs(1),
		RunE:  func(cmd *cobra.Command, args []string) error { return ask(cmd, args[0], (*bookfile.CheckFile).Ask) },
	}
}

func ask[T any](cmd *cobra.Command, file string, answer func(*bookfile.CheckFile) (T, error)) error {
	data, err := readQuestions(file)
	if err != nil {
		return err
	}
	f, err := bookfile.ReadCheck(data)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	answers, err := answer(f)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	return printJSON(cmd.OutOrStdout(), answers)
}

func printJSON(w io.Writer, value any) error {
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(value)
}

// openapiCommand prints the API's description; the front end's types are made of it.
func openapiCommand() *cobra.Command {
	programs := false
	command := &cobra.Command{
		Use:   "openapi",
		Short: "Print the API's description (OpenAPI 3.1)",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			describe := server.OpenAPI
			if programs {
				describe = server.ProgramsOpenAPI
			}
			doc, err := describe()
			if err != nil {
				return err
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), string(doc))
			return err
		},
	}
	command.Flags().BoolVar(&programs, "programs", false, "what the programs of channels ask alone, with examples")
	return command
}
