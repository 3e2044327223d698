package record

import "fmt"

// What secrets are sealed for: one that is moved to another place does not open there.

// SecretPurpose is that of a secret of a site.
func SecretPurpose(site int64, name string) string { return fmt.Sprintf("%d/%s", site, name) }

// WayPurpose is that of the secret of a way to tell somebody.
func WayPurpose(name string) string { return "way " + name }

// MailPurpose is that of the password of the mail server.
const MailPurpose = "mail server"

// MailSetting and ConsoleSetting are the settings of the mail server, and of where the console is.
const (
	MailSetting    = "mail"
	ConsoleSetting = "console"
)
