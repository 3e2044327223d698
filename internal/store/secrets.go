package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// SetSecret keeps a sealed secret of a site, bound to a host and to how the network leads there.
func (s *Store) SetSecret(ctx context.Context, site int64, name, host, network string, sealed []byte) error {
	_, err := s.db.ExecContext(
		ctx,
		`insert into secret (site_id, name, host, network, sealed) values ($1, $2, $3, $4, $5)
		on conflict (site_id, name) do update set host = excluded.host, network = excluded.network, sealed = excluded.sealed, changed = now()`,
		site,
		name,
		host,
		network,
		sealed,
	)
	return err
}

// Secrets lists the secrets of a site by name: what they are for and when they were last used, not what
// they are.
func (s *Store) Secrets(ctx context.Context, site int64) ([]record.Secret, error) {
	secrets := []record.Secret{}
	err := s.db.SelectContext(
		ctx,
		&secrets,
		`select s.name, s.host, s.changed, u.at as used, coalesce(u.who, '') as used_by, coalesce(u.what, '') as used_for
		from secret s left join lateral (select at, who, what from secret_use where site_id = s.site_id and name = s.name order by id desc limit 1) u on true
		where s.site_id = $1 order by s.name`,
		site,
	)
	return secrets, err
}

// SealedSecret is one secret; record.ErrNotFound if there is none of that name.
func (s *Store) SealedSecret(ctx context.Context, site int64, name string) (row record.Sealed, err error) {
	err = s.db.GetContext(ctx, &row, "select host, network, sealed from secret where site_id = $1 and name = $2", site,
		name)
	return row, found(err)
}

// UnboundSecrets are those whose network is not noted yet.
func (s *Store) UnboundSecrets(ctx context.Context) (unbound []record.Unbound, err error) {
	err = each(ctx, s, func(r *struct {
		record.Unbound
		Plan kept[plan.Plan]
	}) error {
		r.Unbound.Plan = r.Plan.value
		unbound = append(unbound, r.Unbound)
		return nil
	}, "select c.site_id, s.plan, c.name, c.host from secret c join site s on s.id = c.site_id where c.network is null")
	return unbound, err
}

// BindSecret notes the network of a secret that an earlier Harvik kept.
func (s *Store) BindSecret(ctx context.Context, site int64, name, network string) error {
	_, err := s.db.ExecContext(ctx,
		"update secret set network = $3 where site_id = $1 and name = $2 and network is null", site, name, network)
	return err
}

// sealedSettings are what the secrets in settings are sealed for.
var sealedSettings = map[string]string{
	record.MailSetting:     record.MailPurpose,
	record.ProviderSetting: record.ProviderPurpose,
}

// Reseal seals every secret anew, and notes by which key that is; nothing has changed where one of them cannot be. Anew
// takes what a secret is sealed for.
func (s *Store) Reseal(ctx context.Context, print string, anew func(purpose string, sealed []byte) ([]byte, error)) (
	secrets int, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		// Those of sites, of ways to tell somebody, and of settings: for the mail server and the identity provider.
		rows, err := tx.Query(ctx, `select 'secret', site_id, name, sealed from secret
			union all select 'way', 0, name, sealed from way where sealed is not null
			union all select 'setting', 0, name, decode(body ->> 'Sealed', 'base64') from setting
				where body ->> 'Sealed' is not null order by 1, 2, 3`)
		if err != nil {
			return err
		}
		var b pgx.Batch
		var of, name string
		var site int64
		var sealed []byte
		if _, err = pgx.ForEachRow(rows, []any{&of, &site, &name, &sealed}, func() error {
			purpose := record.SecretPurpose(site, name)
			switch of {
			case "way":
				purpose = record.WayPurpose(name)
			case "setting":
				purpose = sealedSettings[name]
			}
			fresh, err := anew(purpose, sealed)
			if err != nil {
				return fmt.Errorf("the secret %q: %w", name, err)
			}
			switch of {
			case "secret":
				b.Queue("update secret set sealed = $3 where site_id = $1 and name = $2", site, name, fresh)
			case "way":
				b.Queue("update way set sealed = $2 where name = $1", name, fresh)
			default:
				b.Queue("update setting set body = jsonb_set(body, '{Sealed}', to_jsonb(encode($2, 'base64'))) where name = $1", name, fresh)
			}
			return nil
		}); err != nil {
			return err
		}
		secrets = b.Len()
		b.Queue("insert into seal (print) values ($1) on conflict (one) do update set print = excluded.print", print)
		return tx.SendBatch(ctx, &b).Close()
	})
	return secrets, err
}

// keptUses is how many uses of a secret are remembered.
const keptUses = 200

// NoteUse remembers what a secret was opened for, and by whom.
func (s *Store) NoteUse(ctx context.Context, site int64, name, who, what string) error {
	if _, err := s.db.ExecContext(ctx, "insert into secret_use (site_id, name, who, what) values ($1, $2, $3, $4)",
		site, name, clean(who), clean(what)); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, `delete from secret_use where site_id = $1 and name = $2 and id <= (
		select id from secret_use where site_id = $1 and name = $2 order by id desc offset $3 limit 1)`, site, name, keptUses)
	return err
}

// SecretUses are what a secret was opened for, the newest first.
func (s *Store) SecretUses(ctx context.Context, site int64, name string) ([]record.SecretUse, error) {
	uses := []record.SecretUse{}
	err := s.db.SelectContext(ctx, &uses,
		"select at, who, what from secret_use where site_id = $1 and name = $2 order by id desc", site, name)
	return uses, err
}

// RemoveSecret deletes a secret. What it was used for stays known.
func (s *Store) RemoveSecret(ctx context.Context, site int64, name string) error {
	return s.drop(ctx, "delete from secret where site_id = $1 and name = $2", site, name)
}
