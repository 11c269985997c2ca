package cli

import (
	"bufio"
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"
	"golang.org/x/term"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// login is what stays on this machine between commands.
type login struct {
	Server string `yaml:"server"`
	User   string `yaml:"user"`
	Token  string `yaml:"token"`
}

func loginFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("where to keep the sign-in: %w", err)
	}
	return filepath.Join(dir, "everypost", "login.yaml"), nil
}

func loadLogin() (l login, err error) {
	file, err := loginFile()
	if err != nil {
		return l, nil //nolint:nilerr // without a home there is nothing saved; flags and variables may do
	}
	b, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return l, nil
	}
	if err != nil {
		return l, err
	}
	if err := yaml.Unmarshal(b, &l); err != nil {
		return l, fmt.Errorf("%s: %w", file, err)
	}
	return l, nil
}

func (l login) save() error {
	file, err := loginFile()
	if err != nil {
		return err
	}
	b, err := yaml.Marshal(l)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	return os.WriteFile(file, b, 0o600)
}

func (a *app) loginCommand() *cobra.Command {
	var user string
	var days int
	cmd := &cobra.Command{
		Use: "login", Short: "Sign in to a service from this machine", Args: cobra.NoArgs,
		Long:    "Sign in with a name and password. A token is kept on this machine, for this user alone; the password is not.",
		Example: "  everypost login --user ada\n  everypost login --server https://everypost.example.net --user ada < password.txt",
		RunE: func(cmd *cobra.Command, _ []string) error {
			saved, err := loadLogin()
			if err != nil {
				return err
			}
			c := &client.Client{Base: a.address(saved)}
			lines := a.typed()
			if user = cmp.Or(user, os.Getenv("EVERYPOST_USER")); user == "" {
				if user, err = a.ask(lines, "User: "); err != nil {
					return err
				}
			}
			password, err := a.askPassword(lines, fmt.Sprintf("Password of %s at %s: ", user, c.Base))
			if err != nil {
				return err
			}
			host, _ := os.Hostname()
			token, err := c.SignInToken(cmd.Context(), v1.TokenSignIn{
				SignIn:       v1.SignIn{Name: user, Password: password},
				TokenRequest: v1.TokenRequest{Label: "command line on " + host, Days: days},
			})
			if err != nil {
				return err
			}
			if err := (login{Server: c.Base, User: user, Token: token.Secret}).save(); err != nil {
				return err
			}
			a.say("Signed in to %s as %s until %s.", c.Base, user, token.ExpiresAt.Local().Format("2006-01-02 15:04"))
			return nil
		},
	}
	cmd.Flags().StringVar(&user, "user", "", "user name (EVERYPOST_USER)")
	countVar(cmd.Flags(), &days, "days", 30, 1, "days until one has to sign in again, at most 366")
	return cmd
}

// typed is what comes in by lines: one reader for all questions, for it reads ahead.
func (a *app) typed() *bufio.Reader {
	if a.typing == nil {
		a.typing = bufio.NewReader(a.in)
	}
	return a.typing
}

// ask asks for a line.
func (a *app) ask(in *bufio.Reader, question string) (string, error) {
	_, _ = fmt.Fprint(a.err, question)
	s, err := in.ReadString('\n')
	if s = strings.TrimSpace(s); s == "" {
		return "", usage("nothing was given for %q (%v)", strings.TrimSuffix(question, ": "), err)
	}
	return s, nil
}

// askPassword reads a password without showing it, or a line where the input is no terminal.
func (a *app) askPassword(in *bufio.Reader, question string) (string, error) {
	f, ok := a.in.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return a.ask(in, question)
	}
	_, _ = fmt.Fprint(a.err, question)
	b, err := term.ReadPassword(int(f.Fd()))
	_, _ = fmt.Fprintln(a.err)
	return string(b), err
}

func (a *app) logoutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "logout", Short: "Forget the sign-in of this machine", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			file, err := loginFile()
			if err != nil {
				return err
			}
			if err := os.Remove(file); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return err
			}
			a.say("Signed out on this machine.")
			return nil
		},
	}
}

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the version of this program and, when signed in, of the service", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			out := map[string]string{"everypost": a.version}
			if c, err := a.client(); err == nil {
				if p, err := c.WhoAmI(cmd.Context()); err == nil {
					out["service"] = p.Version
				}
			}
			if a.isData() {
				return a.data(out)
			}
			_, _ = fmt.Fprintf(a.out, "everypost %s\n", a.version)
			if out["service"] != "" {
				_, _ = fmt.Fprintf(a.out, "service   %s\n", out["service"])
			}
			return nil
		},
	}
}
