package cli

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// asked makes what a command does of a function that needs a client.
func (a *app) asked(f func(ctx context.Context, c *client.Client, args []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		c, err := a.client()
		if err != nil {
			return err
		}
		return f(cmd.Context(), c, args)
	}
}

func (a *app) whoamiCommand() *cobra.Command {
	return &cobra.Command{
		Use: "rights", Short: "List what you may do, and where", Args: cobra.NoArgs,
		Example: "  everypost rights\n  everypost rights --try-role technician",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			p, err := c.WhoAmI(ctx)
			if err != nil {
				return err
			}
			if !a.isData() {
				a.say("%s (%s), role %s%s", p.FullName, p.Name, p.Role, confined(p.Only))
			}
			return a.list(p, []string{"right", "to", "where"}, rightRows(p.Rights), "You may do nothing.")
		}),
	}
}

func confined(only string) string {
	if only == "" {
		return ""
	}
	return ", only where " + only
}

func rightRows(list []v1.Right) [][]string {
	rows := make([][]string, len(list))
	for i, r := range list {
		where := r.Where
		if where == "" {
			where = "everywhere"
		}
		rows[i] = []string{r.Verb, r.Feature, where}
	}
	return rows
}

func (a *app) usersCommand() *cobra.Command {
	return &cobra.Command{
		Use: "users", Short: "List who may sign in", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Users(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, u := range list.Items {
				rows[i] = []string{u.Name, u.FullName, u.Role, u.Only, u.Mail, strconv.Itoa(u.Tokens)}
			}
			return a.list(list, []string{"user", "name", "role", "only where", "mail", "tokens"}, rows, "There is nobody.")
		}),
	}
}

func (a *app) userCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "user", Short: "Make, change or remove somebody who may sign in"}
	cmd.AddCommand(a.userMakeCommand(), a.userSetCommand(),
		&cobra.Command{
			Use: "remove USER", Short: "Remove a user; sessions and tokens end at once", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeUsers,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.RemoveUser(ctx, args[0]); err != nil {
					return err
				}
				a.say("%s is removed.", args[0])
				return nil
			}),
		},
		&cobra.Command{
			Use: "password USER", Short: "Give a user a new password; the user's sessions end at once", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeUsers,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				password, err := a.askPassword(a.typed(), "New password of "+args[0]+": ")
				if err != nil {
					return err
				}
				if err := c.ResetPassword(ctx, args[0], password); err != nil {
					return err
				}
				a.say("%s has a new password.", args[0])
				return nil
			}),
		})
	return cmd
}

func (a *app) userFlags(cmd *cobra.Command, in *v1.UserRequest) {
	f := cmd.Flags()
	f.StringVar(&in.FullName, "full-name", "", "the name as people write it")
	f.StringVar(&in.Role, "role", "", "the role; \"everypost roles\" lists them")
	f.StringVar(&in.Only, "only", "", "a selector to which the person is confined: site = kelp-bay; empty for none")
	f.StringVar(&in.Mail, "mail", "", "address of mail, to which notices go that name the user; empty for none")
	_ = cmd.RegisterFlagCompletionFunc("role", a.completeRoles)
	_ = cmd.RegisterFlagCompletionFunc("only", func(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeSelector(cmd, nil, word)
	})
}

func (a *app) userMakeCommand() *cobra.Command {
	var in v1.UserRequest
	radius := false
	cmd := &cobra.Command{
		Use: "make USER", Short: "Make a user; the password is asked for", Args: cobra.ExactArgs(1),
		Example: "  everypost user make coral --full-name \"Coral Finch\" --role technician --only \"site = kelp-bay\"",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if in.Role == "" {
				return usage("give the user a role with --role")
			}
			password := ""
			if !radius {
				var err error
				if password, err = a.askPassword(a.typed(), "Password of "+args[0]+": "); err != nil {
					return err
				}
			}
			if err := c.AddUser(ctx, v1.NewUser{Name: args[0], UserRequest: in, Password: password, RADIUS: radius}); err != nil {
				return err
			}
			a.say("%s may sign in as %s%s.", args[0], in.Role, confined(in.Only))
			return nil
		}),
	}
	a.userFlags(cmd, &in)
	cmd.Flags().BoolVar(&radius, "radius", false, "the password is checked by the RADIUS servers of the service, and none is kept")
	return cmd
}

func (a *app) userSetCommand() *cobra.Command {
	var in v1.UserRequest
	var cmd *cobra.Command
	cmd = &cobra.Command{
		Use: "set USER", Short: "Change what is said of a user; what no flag names stays as it is", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeUsers,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Users(ctx)
			if err != nil {
				return err
			}
			at := slices.IndexFunc(list.Items, func(u v1.User) bool { return u.Name == args[0] })
			if at < 0 {
				return &codedError{ExitRefused, fmt.Errorf("there is no user %s", args[0])}
			}
			now, set := list.Items[at].UserRequest, cmd.Flags().Changed
			for flag, field := range map[string][2]*string{"full-name": {&now.FullName, &in.FullName}, "role": {&now.Role, &in.Role}, "only": {&now.Only, &in.Only}, "mail": {&now.Mail, &in.Mail}} {
				if set(flag) {
					*field[0] = *field[1]
				}
			}
			if err := c.PutUser(ctx, args[0], now); err != nil {
				return err
			}
			a.say("%s is %s%s.", args[0], now.Role, confined(now.Only))
			return nil
		}),
	}
	a.userFlags(cmd, &in)
	return cmd
}

func (a *app) rolesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "roles", Short: "List the roles", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Roles(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, r := range list.Items {
				made := "here"
				if r.Ready {
					made = "ready"
				}
				rows[i] = []string{r.Name, r.Title, made, strconv.Itoa(len(r.Rules)), strings.Join(r.People, " ")}
			}
			return a.list(list, []string{"role", "what for", "made", "rules", "people"}, rows, "There is no role.")
		}),
	}
}

const rulesHelp = `A rule is a sentence: allow or deny, verbs, features, and where.

  allow see, operate on devices, clients where site = kelp-bay
  deny change on ports where tag = critical
  allow everything on everything

What no rule allows may not be done; what one denies may not be done whatever another allows. Every verb stands alone: who may
change ports may see them only if a rule says so. "everypost role meanings" lists verbs and features.`

func (a *app) roleCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "role", Short: "Show, make, change or remove a role", Long: "Show, make, change or remove a role.\n\n" + rulesHelp}
	cmd.AddCommand(a.roleSetCommand(),
		&cobra.Command{
			Use: "show ROLE", Short: "Show the rules of a role and what they come to", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeRoleArg,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				list, err := c.Roles(ctx)
				if err != nil {
					return err
				}
				at := slices.IndexFunc(list.Items, func(r v1.Role) bool { return r.Name == args[0] })
				if at < 0 {
					return &codedError{ExitRefused, fmt.Errorf("there is no role %s", args[0])}
				}
				r := list.Items[at]
				if a.isData() {
					return a.data(r)
				}
				_, _ = fmt.Fprintf(a.out, "%s: %s\n", r.Name, r.Title)
				for _, rule := range r.Rules {
					_, _ = fmt.Fprintf(a.out, "  %s\n", rule.Sentence)
				}
				return a.list(r, []string{"right", "to", "where"}, rightRows(r.Grants), "Its rules come to nothing.")
			}),
		},
		&cobra.Command{
			Use: "remove ROLE", Short: "Remove a role that nobody has", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeRoleArg,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.RemoveRole(ctx, args[0]); err != nil {
					return err
				}
				a.say("The role %s is removed.", args[0])
				return nil
			}),
		},
		&cobra.Command{
			Use: "meanings", Short: "List the verbs and features of rules, and what they come to", Args: cobra.NoArgs,
			RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
				list, err := c.RightMeanings(ctx)
				if err != nil {
					return err
				}
				rows := make([][]string, len(list.Items))
				for i, m := range list.Items {
					rows[i] = []string{m.Verb, m.Feature, m.Help}
				}
				return a.list(list, []string{"verb", "feature", "meaning"}, rows, "")
			}),
		})
	return cmd
}

func (a *app) roleSetCommand() *cobra.Command {
	var title string
	var rules []string
	cmd := &cobra.Command{
		Use: "set ROLE", Short: "Make a role, or replace its title and rules", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeRoleArg,
		Long:    "Make a role, or replace its title and rules.\n\n" + rulesHelp,
		Example: "  everypost role set pier-hand --title \"connects things at the piers\" \\\n    --rule \"allow see on sites, devices, ports, clients\" --rule \"allow change on ports where port.mode = access\"",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in := v1.RoleRequest{Title: title}
			for _, text := range rules {
				in.Rules = append(in.Rules, v1.Rule{Sentence: text})
			}
			if len(in.Rules) == 0 {
				return usage("give the role a rule with --rule")
			}
			if err := c.PutRole(ctx, args[0], in); err != nil {
				return err
			}
			a.say("The role %s has %d rules.", args[0], len(in.Rules))
			return nil
		}),
	}
	cmd.Flags().StringVar(&title, "title", "", "what somebody of this role does")
	cmd.Flags().StringArrayVar(&rules, "rule", nil, "a rule; give the flag again for more")
	return cmd
}

func (a *app) sessionsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sessions", Short: "List the browsers with which you are signed in", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Sessions(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, s := range list.Items {
				rows[i] = []string{s.ID, s.Address, s.Agent, a.when(s.MadeAt), a.when(s.SeenAt), s.ExpiresAt.Local().Format("2006-01-02 15:04")}
			}
			return a.list(list, []string{"session", "from", "browser", "signed in", "last used", "ends"}, rows, "You are not signed in with any browser.")
		}),
	}
}

var sessionForm = regexp.MustCompile(`^[0-9a-f]{16}$`)

func (a *app) sessionCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "session", Short: "End a session of a browser"}
	cmd.AddCommand(&cobra.Command{
		Use: "end SESSION", Short: "Sign a browser of yours out; \"everypost sessions\" lists them", Args: cobra.ExactArgs(1),
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if !sessionForm.MatchString(args[0]) {
				return usage("%q is no session: \"everypost sessions\" lists yours", args[0])
			}
			if err := c.EndSession(ctx, args[0]); err != nil {
				return err
			}
			a.say("Session %s is ended.", args[0])
			return nil
		}),
	})
	return cmd
}

func (a *app) tokensCommand() *cobra.Command {
	var user string
	cmd := &cobra.Command{
		Use: "tokens", Short: "List your tokens, or those of a user", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Tokens(ctx, user)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, t := range list.Items {
				may := "all of the person's rights"
				if t.ReadOnly {
					may = "see"
				}
				rows[i] = []string{strconv.FormatInt(t.ID, 10), t.Label, may, a.when(t.CreatedAt), t.ExpiresAt.Local().Format("2006-01-02 15:04")}
			}
			return a.list(list, []string{"token", "label", "may", "made", "ends"}, rows, "There is no token.")
		}),
	}
	cmd.Flags().StringVar(&user, "user", "", "whose; your own when left out")
	_ = cmd.RegisterFlagCompletionFunc("user", a.completeUsers)
	return cmd
}

func (a *app) tokenCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "token", Short: "Make a token, or take one back"}
	var in v1.TokenRequest
	add := &cobra.Command{
		Use: "make LABEL", Short: "Make a token for yourself; it is printed once", Args: cobra.ExactArgs(1),
		Example: "  everypost token make \"backup script\" --see-only --days 90",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Label = args[0]
			t, err := c.MakeToken(ctx, in)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(t)
			}
			a.say("Token %d is good until %s. It is not shown again.", t.ID, t.ExpiresAt.Local().Format("2006-01-02 15:04"))
			_, err = fmt.Fprintln(a.out, t.Secret)
			return err
		}),
	}
	add.Flags().BoolVar(&in.ReadOnly, "see-only", false, "the token may only see")
	countVar(add.Flags(), &in.Days, "days", 30, 1, "life in days, at most 366")
	var user string
	drop := &cobra.Command{
		Use: "drop NUMBER", Short: "Take a token back", Args: cobra.ExactArgs(1),
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return usage("%q is no number of a token: \"everypost tokens\" lists them", args[0])
			}
			if err := c.DropToken(ctx, user, id); err != nil {
				return err
			}
			a.say("Token %d is no longer good.", id)
			return nil
		}),
	}
	drop.Flags().StringVar(&user, "user", "", "whose; your own when left out")
	_ = drop.RegisterFlagCompletionFunc("user", a.completeUsers)
	cmd.AddCommand(add, drop)
	return cmd
}

func (a *app) passwordCommand() *cobra.Command {
	return &cobra.Command{
		Use: "password", Short: "Change your own password; your sessions in browsers end", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			lines := a.typed()
			old, err := a.askPassword(lines, "Old password: ")
			if err != nil {
				return err
			}
			password, err := a.askPassword(lines, "New password: ")
			if err != nil {
				return err
			}
			if err := c.ChangePassword(ctx, v1.OwnPassword{Old: old, Password: password}); err != nil {
				return err
			}
			a.say("Your password is changed.")
			return nil
		}),
	}
}

func (a *app) completeUsers(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Users(cmd.Context())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, u := range list.Items {
		out[i] = u.Name + "\t" + u.FullName
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

func (a *app) completeRoles(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Roles(cmd.Context())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, r := range list.Items {
		out[i] = r.Name + "\t" + r.Title
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

func (a *app) completeRoleArg(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return a.completeRoles(cmd, args, word)
}
