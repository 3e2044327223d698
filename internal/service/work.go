package service

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/task"
	"harvik/internal/core/waive"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// maxMoved bounds how many fixes are moved at once.
const maxMoved = 10_000

// pulse tells when somebody last worked at a site's fixes.
func (s *Service) pulse(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	at, err := s.store.Pulse(c, site.ID)
	if err != nil {
		s.fail(c, err, "the fixes")
		return
	}
	c.JSON(http.StatusOK, api.Pulse{Changed: at})
}

// moveFixes does with fixes of the newest crawl what the body wishes.
func (s *Service) moveFixes(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var wish api.Wish
	if !s.bind(c, &wish) {
		return
	}
	switch {
	case len(wish.Fixes) == 0:
		problem(c, http.StatusUnprocessableEntity,
			"fixes is to name at least one fix, such as [{\"fix\": \"k7q2m4xa\"}]")
		return
	case len(wish.Fixes) > maxMoved:
		problem(c, http.StatusUnprocessableEntity, fmt.Sprintf("at most %d fixes can be moved at once", maxMoved))
		return
	}
	var texts []bounded
	for name, text := range map[string]*string{"assignee": wish.Assignee, "due": wish.Due} {
		if text != nil {
			texts = append(texts, bounded{name, *text, maxName})
		}
	}
	if wish.Note != nil {
		texts = append(texts, bounded{"note", *wish.Note, maxWords})
	}
	if !fits(c, texts...) {
		return
	}
	if wish.To != "" {
		if _, err := task.ParseState(string(wish.To)); err != nil {
			problem(c, http.StatusUnprocessableEntity, err.Error())
			return
		}
	}
	if who := by(c); task.State(wish.To) == task.Taken && wish.Assignee == nil {
		wish.Assignee = &who // who takes it is on it
	}
	moves, err := s.rooms.Move(c, site, wire.WishOf(&wish, by(c)))
	if err != nil {
		s.fail(c, err, "the fixes")
		return
	}
	c.JSON(http.StatusOK, wire.Moves(&moves))
}

// undo takes back what was done at once.
func (s *Service) undo(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.Undo
	if !s.bind(c, &in) {
		return
	}
	moves, err := s.rooms.Undo(c, site, in.Batch, by(c))
	if errors.Is(err, record.ErrNotFound) {
		problem(c, http.StatusNotFound,
			fmt.Sprintf("nothing was done under the number %d; the command or message that did it told its number",
				in.Batch))
		return
	}
	if err != nil {
		s.fail(c, err, fmt.Sprintf("anything done under the number %d", in.Batch))
		return
	}
	c.JSON(http.StatusOK, wire.Moves(&moves))
}

// listTasks lists the fixes that anyone has touched, with their states, gone ones included.
func (s *Service) listTasks(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	state := task.State(c.Query("state"))
	if state != "" {
		if _, err := task.ParseState(string(state)); err != nil {
			problem(c, http.StatusUnprocessableEntity, err.Error())
			return
		}
	}
	tasks, err := s.store.Tasks(c, site.ID)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	if state != "" {
		tasks = slices.DeleteFunc(tasks, func(t record.Task) bool { return t.State != state })
	}
	c.JSON(http.StatusOK, api.TaskList{Tasks: wire.Each(tasks, wire.Task)})
}

// showTask is the work at one fix with its history.
func (s *Service) showTask(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	id := c.Param("fix")
	t, err := s.store.Task(c, site.ID, id)
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		s.fail(c, err, "fix "+id)
		return
	}
	events, err := s.store.History(c, site.ID, id)
	if err != nil {
		s.fail(c, err, "fix "+id)
		return
	}
	if t.State == "" {
		if known, err := s.store.HasFix(c, site.ID, id); err != nil || !known {
			s.fail(c, cmp.Or(err, record.ErrNotFound), "fix "+id)
			return
		}
		t = record.Task{Fix: id, State: task.Open}
	}
	c.JSON(http.StatusOK, api.TaskDetail{Task: wire.Task(&t), History: wire.Each(events, wire.TaskEvent)})
}

func (s *Service) listWaivers(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	waivers, err := s.store.Waivers(c, site.ID)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.WaiverList{Waivers: wire.Each(waivers, wire.Waiver)})
}

func (s *Service) addWaiver(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.NewWaiver
	if !s.bind(c, &in) || !fits(c, bounded{"check", in.Check, maxName}, bounded{"on", in.On, maxTarget},
		bounded{"reason", in.Reason, maxWords}) {
		return
	}
	w := record.Waiver{Scope: waive.Scope(in.Scope), Check: in.Check, On: in.On, Reason: in.Reason, By: by(c)}
	if in.Until != "" {
		day, err := record.ParseDay(in.Until)
		if err != nil {
			problem(c, http.StatusUnprocessableEntity, "until: "+err.Error())
			return
		}
		w.Until = &day
	}
	w, err := s.rooms.Waive(c, site, w)
	if err != nil {
		s.fail(c, err, "the waiver")
		return
	}
	c.JSON(http.StatusCreated, wire.Waiver(&w))
}

func (s *Service) endWaiver(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	id, err := strconv.ParseInt(c.Param("waiver"), 10, 64)
	if err != nil {
		problem(c, http.StatusNotFound, fmt.Sprintf("a waiver is named by its number, not %q", c.Param("waiver")))
		return
	}
	w, err := s.rooms.EndWaiver(c, site, id, by(c))
	if err != nil {
		if errors.Is(err, record.ErrNotFound) {
			problem(c, http.StatusNotFound, fmt.Sprintf("no waiver %d holds; `harvik waivers %s` shows those that do",
				id, site.Name))
			return
		}
		s.fail(c, err, "the waiver")
		return
	}
	c.JSON(http.StatusOK, wire.Waiver(&w))
}

func (s *Service) startRecheck(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.NewRecheck
	if !s.bind(c, &in) {
		return
	}
	rec, err := s.rooms.Recheck(c, site, in.Fixes, by(c))
	if err != nil {
		s.fail(c, err, "the recheck")
		return
	}
	c.JSON(http.StatusAccepted, wire.Recheck(&rec))
}

func (s *Service) listRechecks(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	all, err := s.store.Rechecks(c, cr.ID)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.RecheckList{Rechecks: wire.Each(all, wire.Recheck)})
}

func (s *Service) showRecheck(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	n, err := strconv.ParseInt(c.Param("recheck"), 10, 32)
	if err != nil {
		problem(c, http.StatusNotFound, fmt.Sprintf("a recheck is named by its number, not %q", c.Param("recheck")))
		return
	}
	rec, err := s.store.RecheckOf(c, cr.ID, int(n))
	if err != nil {
		s.fail(c, err, fmt.Sprintf("recheck %d of crawl %d", n, cr.Number))
		return
	}
	c.JSON(http.StatusOK, wire.Recheck(&rec))
}

// importFigures takes figures by address as CSV in the body.
func (s *Service) importFigures(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	taken := record.Day{Time: time.Now().UTC().Truncate(24 * time.Hour)}
	if day := c.Query("taken"); day != "" {
		var err error
		if taken, err = record.ParseDay(day); err != nil {
			problem(c, http.StatusUnprocessableEntity, "taken: "+err.Error())
			return
		}
	}
	out, err := s.rooms.ImportFigures(c, site, taken, http.MaxBytesReader(c.Writer, c.Request.Body, maxFigures))
	var big *http.MaxBytesError
	if errors.As(err, &big) {
		problem(c, http.StatusRequestEntityTooLarge,
			fmt.Sprintf("a file of figures has at most %d MB; split it", maxFigures>>20))
		return
	}
	if err != nil {
		s.fail(c, err, "the figures")
		return
	}
	c.JSON(http.StatusOK, wire.FigureImport(&out))
}

// maxFigures bounds a file of figures, in bytes.
const maxFigures = 256 << 20

func (s *Service) listFigures(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	sets, err := s.store.FigureSets(c, site.ID)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.FigureList{Figures: wire.Each(sets, wire.FigureSet), Importance: site.Importance})
}

func (s *Service) removeFigure(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if err := s.rooms.RemoveFigure(c, site, c.Param("figure")); err != nil {
		s.fail(c, err, "the figure "+c.Param("figure"))
		return
	}
	c.Status(http.StatusNoContent)
}

// setImportance chooses the figure that weighs pages beside their authority.
func (s *Service) setImportance(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.FigureChoice
	if !s.bind(c, &in) {
		return
	}
	err := s.rooms.SetImportance(c, site, in.Figure)
	if other, ok := errors.AsType[*record.UnknownFigureError](err); ok {
		problem(c, http.StatusUnprocessableEntity, unknown("figure in numbers", other.Figure, other.Names))
		return
	}
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusOK, api.Importance{Importance: in.Figure})
}
