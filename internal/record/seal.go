package record

import "fmt"

// What secrets are sealed for: one that is moved to another place does not open there.

// SecretPurpose is that of a secret of a site.
func SecretPurpose(site int64, name string) string { return fmt.Sprintf("%d/%s", site, name) }

// WayPurpose is that of the secret of a way to tell somebody.
func WayPurpose(name string) string { return "way " + name }

// MailPurpose is that of the password of the mail server.
const MailPurpose = "mail server"

// ProviderPurpose is that of the secret for the identity provider.
const ProviderPurpose = "identity provider"

// MailSetting, ProviderSetting and ConsoleSetting are the settings of the mail server, of the identity provider, and of
// where the console is.
const (
	MailSetting     = "mail"
	ProviderSetting = "provider"
	ConsoleSetting  = "console"
)
