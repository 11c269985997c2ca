package v1

import "time"

// TryRoleHeader names a role; who may administer people is then treated as one who has it, and nothing is done.
const TryRoleHeader = "X-Everypost-Try-Role"

// Right is something that somebody may do.
type Right struct {
	Verb    string `json:"verb" enum:"see,change,operate,administer"`
	Feature string `json:"feature"`
	Where   string `json:"where,omitempty" doc:"A selector; everywhere when left out"`
}

// RightMeaning tells what a verb comes to for a feature.
type RightMeaning struct {
	Verb    string `json:"verb"`
	Feature string `json:"feature"`
	Placed  bool   `json:"placed" doc:"Whether the feature lies somewhere in the network, so that a rule about it may have a selector"`
	Help    string `json:"help"`
}

// Rule is one sentence of a role. It is given in parts, or as a sentence.
type Rule struct {
	Sentence string   `json:"sentence,omitempty" maxLength:"2000" doc:"The whole rule: allow see, operate on devices where site = kelp-bay. Where it is given, the parts are not looked at"`
	Effect   string   `json:"effect,omitempty" enum:"allow,deny"`
	Verbs    []string `json:"verbs,omitempty" maxItems:"10" doc:"None: all"`
	Features []string `json:"features,omitempty" maxItems:"30" doc:"None: all"`
	Where    string   `json:"where,omitempty" maxLength:"1000" doc:"A selector; it binds the features that lie somewhere in the network"`
}

// RoleRequest makes or changes a role.
type RoleRequest struct {
	Title string `json:"title" maxLength:"200" doc:"What somebody of this role does"`
	Rules []Rule `json:"rules" minItems:"1" maxItems:"50"`
}

// Role is a set of rules. What no rule allows may not be done; what one denies may not be done whatever another allows.
type Role struct {
	Name string `json:"name"`
	RoleRequest
	Ready  bool     `json:"ready" doc:"Whether it comes with the product; such a role cannot be edited"`
	People []string `json:"people" doc:"Who has it"`
	Grants []Right  `json:"grants" doc:"What the rules come to for who is not confined"`
}

// UserRequest says who a user is and what he may do.
type UserRequest struct {
	FullName string `json:"full_name" maxLength:"100"`
	Role     string `json:"role" maxLength:"63"`
	Only     string `json:"only,omitempty" maxLength:"1000" doc:"A selector to which the person is confined, whatever the role: site = kelp-bay"`
	Mail     string `json:"mail,omitempty" maxLength:"254" doc:"Address of mail, to which notices go that name the person"`
}

// NewUser makes a user.
type NewUser struct {
	Name string `json:"name" maxLength:"32"`
	UserRequest
	Password string `json:"password,omitempty" maxLength:"256" doc:"12 characters at least; left out for who signs in by RADIUS"`
	RADIUS   bool   `json:"radius,omitempty" doc:"Whether the password is checked by the RADIUS servers, and none is kept here"`
}

// User is a person who may sign in.
type User struct {
	Name string `json:"name"`
	UserRequest
	CreatedAt time.Time `json:"created_at"`
	RADIUS    bool      `json:"radius,omitempty" doc:"Whether the password is checked by the RADIUS servers"`
	Tokens    int       `json:"tokens" doc:"How many tokens the person has"`
}

// NewPassword gives a user a new password.
type NewPassword struct {
	Password string `json:"password" maxLength:"256" doc:"12 characters at least"`
}

// OwnPassword changes one's own password.
type OwnPassword struct {
	Old      string `json:"old" maxLength:"256"`
	Password string `json:"password" maxLength:"256" doc:"12 characters at least"`
}
