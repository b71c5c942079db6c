CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);

INSERT INTO "alembic_version" VALUES('0011');

CREATE TABLE analysis (
	id INTEGER NOT NULL, 
	problem_id INTEGER NOT NULL, 
	kind VARCHAR NOT NULL, 
	"key" VARCHAR NOT NULL, 
	request JSON NOT NULL, 
	state VARCHAR NOT NULL, 
	result JSON, 
	message VARCHAR NOT NULL, 
	created_at DOUBLE NOT NULL, 
	ended_at DOUBLE, 
	PRIMARY KEY (id), 
	FOREIGN KEY(problem_id) REFERENCES problem (id)
);

CREATE TABLE data_file (
	hash VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	rows INTEGER NOT NULL, 
	columns INTEGER NOT NULL, 
	bytes INTEGER NOT NULL, 
	created_at DOUBLE NOT NULL, 
	PRIMARY KEY (hash)
);

CREATE TABLE decision (
	id INTEGER NOT NULL, 
	problem_id INTEGER NOT NULL, 
	trial_id INTEGER NOT NULL, 
	rule VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	signer VARCHAR NOT NULL, 
	created_at DOUBLE NOT NULL, record JSON DEFAULT '{}' NOT NULL, fingerprint VARCHAR DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(problem_id) REFERENCES problem (id), 
	FOREIGN KEY(trial_id) REFERENCES trial (id)
);

CREATE TABLE fit (
	search_id INTEGER NOT NULL, 
	trial INTEGER NOT NULL, 
	fold INTEGER NOT NULL, 
	rung INTEGER NOT NULL, 
	state VARCHAR NOT NULL, 
	attempt INTEGER NOT NULL, 
	lane INTEGER, 
	started_at DOUBLE, 
	ended_at DOUBLE, 
	score DOUBLE, 
	seconds DOUBLE NOT NULL, 
	predict_seconds DOUBLE NOT NULL, 
	reason VARCHAR NOT NULL, 
	log TEXT NOT NULL, 
	warnings JSON NOT NULL, 
	model_bytes INTEGER, recorded JSON DEFAULT '{}' NOT NULL, machine VARCHAR DEFAULT '' NOT NULL, 
	PRIMARY KEY (search_id, trial, fold, rung), 
	FOREIGN KEY(search_id) REFERENCES search (id)
)
 WITHOUT ROWID

;

CREATE TABLE ledger (
	id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT, 
	at DOUBLE NOT NULL, 
	search_id INTEGER, 
	kind VARCHAR NOT NULL, 
	payload TEXT NOT NULL
);

CREATE TABLE lesson (
	id INTEGER NOT NULL, 
	search_id INTEGER NOT NULL, 
	problem_id INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	likeness DOUBLE NOT NULL, 
	trials JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(search_id) REFERENCES search (id)
);

CREATE TABLE past_result (
	id INTEGER NOT NULL, 
	problem_id INTEGER NOT NULL, 
	learner VARCHAR NOT NULL, 
	source VARCHAR NOT NULL, 
	configuration JSON NOT NULL, 
	score DOUBLE NOT NULL, 
	created_at DOUBLE NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(problem_id) REFERENCES problem (id)
);

CREATE TABLE point (
	search_id INTEGER NOT NULL, 
	trial INTEGER NOT NULL, 
	fold INTEGER NOT NULL, 
	iteration INTEGER NOT NULL, 
	score DOUBLE NOT NULL, 
	PRIMARY KEY (search_id, trial, fold, iteration), 
	FOREIGN KEY(search_id) REFERENCES search (id)
)
 WITHOUT ROWID

;

CREATE TABLE prediction (
	id INTEGER NOT NULL, 
	search_id INTEGER NOT NULL, 
	trial INTEGER NOT NULL, 
	fold INTEGER NOT NULL, 
	data BLOB NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(search_id) REFERENCES search (id), 
	CONSTRAINT one_prediction_a_fit UNIQUE (search_id, trial, fold)
);

CREATE TABLE "problem" (
	id INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	data_hash VARCHAR, 
	brief JSON NOT NULL, 
	brief_hash VARCHAR NOT NULL, 
	folds_hash VARCHAR, 
	frozen BOOLEAN NOT NULL, 
	derived_from INTEGER, 
	tags JSON NOT NULL, 
	created_at DOUBLE NOT NULL, 
	objective VARCHAR DEFAULT 'table' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(data_hash) REFERENCES data_file (hash), 
	FOREIGN KEY(derived_from) REFERENCES problem (id)
);

CREATE TABLE rehearsal_fit (
	id INTEGER NOT NULL, 
	problem_id INTEGER NOT NULL, 
	learner VARCHAR NOT NULL, 
	configuration JSON NOT NULL, 
	state VARCHAR NOT NULL, 
	seconds DOUBLE NOT NULL, 
	message VARCHAR NOT NULL, 
	created_at DOUBLE NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(problem_id) REFERENCES problem (id)
);

CREATE TABLE search (
	id INTEGER NOT NULL, 
	problem_id INTEGER NOT NULL, 
	number INTEGER NOT NULL, 
	learner VARCHAR NOT NULL, 
	space TEXT NOT NULL, 
	"plan" JSON NOT NULL, 
	plan_hash VARCHAR NOT NULL, 
	state VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	workers INTEGER NOT NULL, 
	active_seconds DOUBLE NOT NULL, 
	created_at DOUBLE NOT NULL, 
	ended_at DOUBLE, 
	versions JSON NOT NULL, strategy VARCHAR DEFAULT 'random' NOT NULL, strategy_reason VARCHAR DEFAULT '' NOT NULL, overrides JSON DEFAULT '[]' NOT NULL, kind VARCHAR DEFAULT 'search' NOT NULL, stopping JSON DEFAULT '{}' NOT NULL, strategy_settings JSON DEFAULT '{}' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(problem_id) REFERENCES problem (id)
);

CREATE TABLE side_score (
	trial_id INTEGER NOT NULL, 
	metric VARCHAR NOT NULL, 
	mean DOUBLE, 
	PRIMARY KEY (trial_id, metric), 
	FOREIGN KEY(trial_id) REFERENCES trial (id)
)
 WITHOUT ROWID

;

CREATE TABLE trial (
	id INTEGER NOT NULL, 
	search_id INTEGER NOT NULL, 
	number INTEGER NOT NULL, 
	origin VARCHAR NOT NULL, 
	state VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	configuration JSON NOT NULL, 
	scores JSON NOT NULL, 
	mean DOUBLE, 
	standard_error DOUBLE, 
	rank_score DOUBLE, 
	seconds DOUBLE NOT NULL, 
	seen INTEGER NOT NULL, 
	pending INTEGER NOT NULL, 
	created_at DOUBLE NOT NULL, 
	ended_at DOUBLE, 
	note VARCHAR NOT NULL, 
	tags JSON NOT NULL, 
	shortlisted BOOLEAN NOT NULL, learner VARCHAR DEFAULT '' NOT NULL, source_id INTEGER REFERENCES trial (id), bracket INTEGER DEFAULT '0' NOT NULL, cohort INTEGER DEFAULT '0' NOT NULL, rung INTEGER DEFAULT '0' NOT NULL, results JSON DEFAULT '{}' NOT NULL, best_iteration INTEGER, parent INTEGER, share DOUBLE DEFAULT '0' NOT NULL, goal INTEGER, measured JSON, keeps BOOLEAN, 
	PRIMARY KEY (id), 
	FOREIGN KEY(search_id) REFERENCES search (id), 
	CONSTRAINT one_number_a_search UNIQUE (search_id, number)
);

CREATE INDEX ix_ledger_search_id ON ledger (search_id);

CREATE INDEX ix_search_plan_hash ON search (plan_hash);

CREATE INDEX ix_search_problem_id ON search (problem_id);

CREATE INDEX ix_search_state ON search (state);

CREATE INDEX trial_ranking ON trial (search_id, state, rank_score);

CREATE INDEX ix_decision_problem_id ON decision (problem_id);

CREATE INDEX ix_past_result_problem_id ON past_result (problem_id);

CREATE INDEX ix_rehearsal_fit_problem_id ON rehearsal_fit (problem_id);

CREATE INDEX ix_trial_source_id ON trial (source_id);

CREATE INDEX analysis_asked ON analysis (problem_id, kind, "key");

CREATE TRIGGER decision_refuses_update BEFORE UPDATE ON decision BEGIN SELECT RAISE(ABORT, 'A decision is never changed; make a new one.'); END;

CREATE TRIGGER decision_refuses_delete BEFORE DELETE ON decision BEGIN SELECT RAISE(ABORT, 'A decision is never changed; make a new one.'); END;

CREATE INDEX ix_problem_brief_hash ON problem (brief_hash);

CREATE INDEX trial_tallies ON trial (search_id, state, origin, share, seconds);

CREATE INDEX fit_tallies ON fit (search_id, state, seconds);

CREATE INDEX ix_lesson_search_id ON lesson (search_id);

DELETE FROM "sqlite_sequence";
