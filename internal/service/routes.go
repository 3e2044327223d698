package service

import "github.com/gin-gonic/gin"

// routes is the whole API; openapi.yaml describes it, and a test holds the two together.
func (s *Service) routes(g *gin.Engine) {
	g.GET("/healthz", s.healthz)
	g.GET("/readyz", s.readyz)
	g.POST("/api/v1/session", noStore, s.signIn)

	exports := &turns{what: "exports", all: 8, each: 3}
	looks := &turns{what: "looks at a page", all: 4, each: 3}
	previews := &turns{what: "previews", all: 4, each: 2}
	comparisons := &turns{what: "comparisons and judgements", all: 4, each: 2}
	questions := &turns{what: "questions", all: 6, each: 3}
	streams := &turns{what: "crawls that are followed", all: 200, each: 60}
	imports := &turns{what: "imports", all: 4, each: 2}

	api := g.Group("/api/v1", noStore, s.authenticated)
	api.GET("/session", s.whoAmI)
	api.DELETE("/session", s.signOut)
	api.POST("/tickets", s.addTicket)
	api.GET("/credentials", s.listCredentials)
	api.POST("/credentials", s.addToken)
	api.DELETE("/credentials/:credential", s.revoke)
	api.GET("/openapi.yaml", s.openAPI)

	api.GET("/checks", s.listChecks)
	api.GET("/checks/:check", s.showCheck)
	api.GET("/own-schema", s.ownSchema)
	api.POST("/sites/:site/checks", s.addChecks)
	api.DELETE("/sites/:site/checks/:check", s.removeCheck)
	api.POST("/sites/:site/crawls/:crawl/try", atOnce(comparisons, s.tryRules))
	api.GET("/columns", s.listColumns)
	api.GET("/facts", s.listFacts)
	api.GET("/question", s.readQuestion)
	api.GET("/sites/:site/crawls/:crawl/overview", atOnce(questions, s.overview))
	api.GET("/words", s.listWords)
	api.GET("/views", s.listViews)
	api.PUT("/views/:view", s.keepView)
	api.DELETE("/views/:view", s.removeView)

	api.GET("/plan-schema", s.planSchema)
	api.GET("/profiles", s.listProfiles)
	api.POST("/plan-check", s.checkPlan)

	api.POST("/look", atOnce(looks, s.look))

	api.GET("/queue", s.showQueue)
	api.DELETE("/queue/jobs/:job", s.cancelJob)
	api.POST("/queue/jobs/:job/again", s.retryJob)
	api.GET("/sites", s.listSites)
	api.POST("/sites", s.addSite)
	api.GET("/sites/:site", s.showSite)
	api.DELETE("/sites/:site", s.removeSite)
	api.GET("/sites/:site/plan", s.showPlan)
	api.PUT("/sites/:site/plan", s.setPlan)
	api.PATCH("/sites/:site/plan", s.changePlan)

	api.POST("/sites/:site/plan/preview", atOnce(previews, s.previewPlan))
	api.GET("/sites/:site/secrets", s.listSecrets)
	api.PUT("/sites/:site/secrets/:secret", s.setSecret)
	api.DELETE("/sites/:site/secrets/:secret", s.removeSecret)
	api.GET("/sites/:site/secrets/:secret/uses", s.listUses)
	api.POST("/sites/:site/allowances", s.allow)
	api.DELETE("/sites/:site/allowances", s.disallow)

	api.GET("/sites/:site/fixes", s.listTasks)
	api.POST("/sites/:site/fixes", s.moveFixes)
	api.GET("/sites/:site/fixes/:fix", s.showTask)
	api.POST("/sites/:site/undo", s.undo)
	api.GET("/sites/:site/waivers", s.listWaivers)
	api.POST("/sites/:site/waivers", s.addWaiver)
	api.DELETE("/sites/:site/waivers/:waiver", s.endWaiver)
	api.POST("/sites/:site/rechecks", s.startRecheck)
	api.GET("/sites/:site/trend", atOnce(comparisons, s.showTrend))
	api.GET("/sites/:site/figures", s.listFigures)
	api.POST("/sites/:site/figures", atOnce(imports, s.importFigures))
	api.DELETE("/sites/:site/figures/:figure", s.removeFigure)
	api.PUT("/sites/:site/importance", s.setImportance)
	api.PUT("/sites/:site/keep", s.setKeep)
	api.GET("/sites/:site/keep", s.listGoing)

	api.GET("/watches", s.listWatches)
	api.GET("/sites/:site/watches/:watch", s.showWatch)
	api.PUT("/sites/:site/watches/:watch", s.setWatch)
	api.DELETE("/sites/:site/watches/:watch", s.removeWatch)
	api.GET("/sites/:site/front", s.showFront)
	api.POST("/sites/:site/front", atOnce(looks, s.lookAtFront))
	api.PUT("/sites/:site/front", s.setFront)
	api.GET("/sites/:site/maintenance", s.listMaintenance)
	api.POST("/sites/:site/maintenance", s.addMaintenance)
	api.DELETE("/sites/:site/maintenance/:maintenance", s.removeMaintenance)

	api.GET("/schedules", s.listSchedules)
	api.PUT("/schedules/held", s.holdSchedules)
	api.PUT("/sites/:site/schedules/:schedule", s.setSchedule)
	api.DELETE("/sites/:site/schedules/:schedule", s.removeSchedule)
	api.POST("/sites/:site/schedules/:schedule/run", s.runSchedule)

	api.GET("/sites/:site/crawls", s.listCrawls)
	api.POST("/sites/:site/crawls", s.startCrawl)
	// A crawl is named by its number, or "latest" for the newest finished one.
	api.GET("/sites/:site/crawls/:crawl", s.showCrawl)
	api.DELETE("/sites/:site/crawls/:crawl", s.removeCrawl)
	api.PUT("/sites/:site/crawls/:crawl/mark", s.markCrawl)
	api.POST("/sites/:site/crawls/:crawl/stop", s.stopCrawl)
	api.POST("/sites/:site/crawls/:crawl/pause", s.pauseCrawl)
	api.POST("/sites/:site/crawls/:crawl/resume", s.resumeCrawl)
	api.POST("/sites/:site/crawls/:crawl/continue", s.continueCrawl)
	api.POST("/sites/:site/crawls/:crawl/judge", atOnce(comparisons, s.judgeCrawl))
	api.PATCH("/sites/:site/crawls/:crawl/pace", s.setPace)
	api.GET("/sites/:site/crawls/:crawl/addresses", s.listAddresses)
	api.GET("/sites/:site/crawls/:crawl/progress", atOnce(streams, s.watchCrawl))
	api.GET("/sites/:site/crawls/:crawl/tally", s.tally)
	api.GET("/sites/:site/crawls/:crawl/fixes", s.listFixes)
	api.GET("/sites/:site/crawls/:crawl/fixes/:fix", s.showFix)
	api.GET("/sites/:site/crawls/:crawl/fixes/:fix/pages", s.fixPages)
	api.POST("/sites/:site/crawls/:crawl/try-field", s.tryField)
	api.GET("/sites/:site/crawls/:crawl/ask", atOnce(questions, s.ask))
	api.GET("/sites/:site/crawls/:crawl/pages", s.listPages)
	api.GET("/sites/:site/crawls/:crawl/page", s.showPage)
	api.GET("/sites/:site/crawls/:crawl/compare", atOnce(comparisons, s.comparePages))
	api.GET("/sites/:site/crawls/:crawl/layouts", s.listLayouts)
	api.GET("/sites/:site/crawls/:crawl/links-in", s.linksIn)
	api.GET("/sites/:site/crawls/:crawl/renderings", s.showRenderings)
	api.GET("/sites/:site/crawls/:crawl/screens/:screen", s.showScreen)
	api.GET("/sites/:site/crawls/:crawl/rechecks", s.listRechecks)
	api.GET("/sites/:site/crawls/:crawl/rechecks/:recheck", s.showRecheck)
	api.GET("/sites/:site/crawls/:crawl/drift", atOnce(comparisons, s.showDrift))
	api.GET("/sites/:site/crawls/:crawl/speed", atOnce(comparisons, s.showSpeed))
	api.POST("/sites/:site/crawls/:crawl/gate", atOnce(comparisons, s.passGate))
	api.GET("/sites/:site/crawls/:crawl/map", s.showMap)
	api.GET("/sites/:site/crawls/:crawl/export", atOnce(exports, s.export))

	g.NoRoute(s.serveConsole)
	g.NoMethod(s.noMethod)
}
