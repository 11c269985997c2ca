package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFlagIsStrongerThanVariableAndThatThanTheFile(t *testing.T) {
	file := filepath.Join(t.TempDir(), "settings.yaml")
	require.NoError(t, os.WriteFile(file, []byte("listen: file\ndata: file\nlog-level: file\n"), 0o600))
	t.Setenv("EVERYPOST_LISTEN", "variable")
	t.Setenv("EVERYPOST_DATA", "variable")
	f := pflag.NewFlagSet("x", pflag.ContinueOnError)
	listen, data, level, other := f.String("listen", "", ""), f.String("data", "", ""), f.String("log-level", "", ""), f.String("tls-cert", "default", "")
	require.NoError(t, f.Parse([]string{"--listen", "flag"}))
	require.NoError(t, fillFlags(f, file))
	assert.Equal(t, []string{"flag", "variable", "file", "default"}, []string{*listen, *data, *level, *other})
}

func TestSettingsThatCannotBe(t *testing.T) {
	file := filepath.Join(t.TempDir(), "settings.yaml")
	f := pflag.NewFlagSet("x", pflag.ContinueOnError)
	f.Bool("on", false, "")
	require.NoError(t, os.WriteFile(file, []byte("lisen: here\non: maybe\n"), 0o600))
	err := fillFlags(f, file)
	assert.ErrorContains(t, err, `there is no setting "lisen"`)
	assert.ErrorContains(t, err, "maybe")
	assert.Error(t, fillFlags(f, file+".none"))
	require.NoError(t, os.WriteFile(file, []byte("- a list\n"), 0o600))
	assert.ErrorContains(t, fillFlags(f, file), file)
}

func TestServeRefuses(t *testing.T) {
	for name, tc := range map[string]struct {
		o    serveOptions
		says string
	}{
		"all addresses without a certificate": {serveOptions{listen: ":0", logLevel: "info"}, "give --tls-cert and --tls-key"},
		"another address without one":         {serveOptions{listen: "10.20.10.5:8490", logLevel: "info"}, "give --tls-cert and --tls-key"},
		"no port":                             {serveOptions{listen: "127.0.0.1", logLevel: "info"}, "write address:port"},
		"unknown level":                       {serveOptions{listen: "127.0.0.1:0", logLevel: "loud"}, "debug, info, warn and error"},
		"a folder that is a file":             {serveOptions{listen: "127.0.0.1:0", logLevel: "info", data: "main.go"}, "data folder"},
	} {
		t.Run(name, func(t *testing.T) { assert.ErrorContains(t, serve(t.Context(), tc.o), tc.says) })
	}
}
