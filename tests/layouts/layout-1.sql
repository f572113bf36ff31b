BEGIN TRANSACTION;
CREATE TABLE fenland_accounts (
	name VARCHAR NOT NULL, 
	title VARCHAR NOT NULL, 
	roles JSON NOT NULL, 
	created_at DATETIME NOT NULL, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_accounts" VALUES('ada','ada','["editor"]','2026-11-25T18:07:07.067612Z');
CREATE TABLE fenland_history (
	sequence INTEGER NOT NULL, 
	time DATETIME NOT NULL, 
	collection VARCHAR NOT NULL, 
	record_id VARCHAR(36) NOT NULL, 
	"key" TEXT NOT NULL, 
	version BIGINT NOT NULL, 
	action VARCHAR NOT NULL, 
	actor VARCHAR NOT NULL, 
	behalf VARCHAR, 
	via VARCHAR NOT NULL, 
	request_id VARCHAR NOT NULL, 
	reason TEXT, 
	cause INTEGER, 
	changes JSON NOT NULL, 
	PRIMARY KEY (sequence)
);
INSERT INTO "fenland_history" VALUES(1,'2026-11-25T18:07:08.374168Z','notes','01a213e3-d656-7113-9968-ec39faecd418','"first-note"',1,'create','ada',NULL,'api','b2adf3ad8b000003',NULL,NULL,'{"price":[null,1.50],"slug":[null,"first-note"],"title":[null,"First"],"pinned":[null,false],"author":[null,"ada"]}');
INSERT INTO "fenland_history" VALUES(2,'2026-11-25T18:07:08.386801Z','notes','01a213e3-d662-7ebb-9832-2c934cc3d393','"second"',1,'create','ada',NULL,'api','b2adf3ad8b000004',NULL,NULL,'{"parent":[null,"first-note"],"slug":[null,"second"],"title":[null,"Second"],"pinned":[null,false],"due_on":[null,"2031-04-09"],"author":[null,"ada"]}');
INSERT INTO "fenland_history" VALUES(3,'2026-11-25T18:07:08.397502Z','notes','01a213e3-d66d-71c6-b7a1-aea26cadfe03','"third"',1,'create','ada',NULL,'api','b2adf3ad8b000005',NULL,NULL,'{"slug":[null,"third"],"title":[null,"Third"],"pinned":[null,false],"author":[null,"ada"]}');
INSERT INTO "fenland_history" VALUES(4,'2026-11-25T18:07:08.407671Z','notes','01a213e3-d656-7113-9968-ec39faecd418','"first-note"',2,'update','ada',NULL,'api','b2adf3ad8b000006',NULL,NULL,'{"pinned":[false,true],"price":[1.50,2.25]}');
INSERT INTO "fenland_history" VALUES(5,'2026-11-25T18:07:08.430156Z','notes','01a213e3-d66d-71c6-b7a1-aea26cadfe03','"third"',2,'delete','ada',NULL,'api','b2adf3ad8b000007',NULL,NULL,'{"slug":["third",null],"title":["Third",null],"pinned":[false,null],"author":["ada",null]}');
CREATE TABLE fenland_meta (
	name VARCHAR NOT NULL, 
	value JSON NOT NULL, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_meta" VALUES('table notes','[["id", "VARCHAR(36)", true, false], ["version", "BIGINT", true, false], ["created_at", "DATETIME", true, false], ["created_by", "VARCHAR", true, false], ["updated_at", "DATETIME", true, false], ["updated_by", "VARCHAR", true, false], ["price", "BIGINT", false, false], ["parent", "TEXT", false, false, "notes.slug"], ["slug", "TEXT", true, true], ["title", "VARCHAR(120)", true, false], ["body", "VARCHAR(5000)", false, false], ["pinned", "BOOLEAN", true, false], ["due_on", "DATE", false, false], ["author", "TEXT", true, false]]');
INSERT INTO "fenland_meta" VALUES('table fenland_accounts','[["name", "VARCHAR", true, false], ["title", "VARCHAR", true, false], ["roles", "JSON", true, false], ["created_at", "DATETIME", true, false]]');
INSERT INTO "fenland_meta" VALUES('table fenland_tokens','[["hash", "VARCHAR(64)", true, false], ["account", "VARCHAR", true, false, "fenland_accounts.name"], ["label", "VARCHAR", true, false], ["created_at", "DATETIME", true, false], ["expires_at", "DATETIME", false, false], ["revoked_at", "DATETIME", false, false]]');
INSERT INTO "fenland_meta" VALUES('table fenland_outcomes','[["account", "VARCHAR", true, false], ["key", "VARCHAR", true, false], ["fingerprint", "VARCHAR(64)", true, false], ["content", "JSON", true, false], ["expires_at", "DATETIME", true, false]]');
INSERT INTO "fenland_meta" VALUES('table fenland_history','[["sequence", "INTEGER", true, false], ["time", "DATETIME", true, false], ["collection", "VARCHAR", true, false], ["record_id", "VARCHAR(36)", true, false], ["key", "TEXT", true, false], ["version", "BIGINT", true, false], ["action", "VARCHAR", true, false], ["actor", "VARCHAR", true, false], ["behalf", "VARCHAR", false, false], ["via", "VARCHAR", true, false], ["request_id", "VARCHAR", true, false], ["reason", "TEXT", false, false], ["cause", "INTEGER", false, false], ["changes", "JSON", true, false]]');
INSERT INTO "fenland_meta" VALUES('layout',1);
CREATE TABLE fenland_outcomes (
	account VARCHAR NOT NULL, 
	"key" VARCHAR NOT NULL, 
	fingerprint VARCHAR(64) NOT NULL, 
	content JSON NOT NULL, 
	expires_at DATETIME NOT NULL, 
	PRIMARY KEY (account, "key")
);
INSERT INTO "fenland_outcomes" VALUES('ada','first','dcb6d7724fc85acaaa375d99fc3726e4f8e1344477477dfd104b8eaa540af03b','{"record":{"id":"01a213e3-d656-7113-9968-ec39faecd418","version":1,"created_at":"2026-11-25T18:07:08.374168Z","created_by":"ada","updated_at":"2026-11-25T18:07:08.374168Z","updated_by":"ada","price":1.50,"parent":null,"slug":"first-note","title":"First","body":null,"pinned":false,"due_on":null,"author":"ada"},"changed":true,"dropped":[]}','2026-11-26T18:07:08.375614Z');
CREATE TABLE fenland_tokens (
	hash VARCHAR(64) NOT NULL, 
	account VARCHAR NOT NULL, 
	label VARCHAR NOT NULL, 
	created_at DATETIME NOT NULL, 
	expires_at DATETIME, 
	revoked_at DATETIME, 
	PRIMARY KEY (hash), 
	FOREIGN KEY(account) REFERENCES fenland_accounts (name)
);
INSERT INTO "fenland_tokens" VALUES('726955e84940fbc1bbaed37ffa28690b29872946c64e61bddebb3aa639fdf5ad','ada','first','2026-11-25T18:07:07.069346Z',NULL,NULL);
CREATE TABLE notes (
	id VARCHAR(36) NOT NULL, 
	version BIGINT NOT NULL, 
	created_at DATETIME NOT NULL, 
	created_by VARCHAR NOT NULL, 
	updated_at DATETIME NOT NULL, 
	updated_by VARCHAR NOT NULL, 
	price BIGINT, 
	parent TEXT, 
	slug TEXT NOT NULL, 
	title VARCHAR(120) NOT NULL, 
	body VARCHAR(5000), 
	pinned BOOLEAN NOT NULL, 
	due_on DATE, 
	author TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(parent) REFERENCES notes (slug) DEFERRABLE INITIALLY DEFERRED, 
	UNIQUE (slug)
);
INSERT INTO "notes" VALUES('01a213e3-d656-7113-9968-ec39faecd418',2,'2026-11-25T18:07:08.374168Z','ada','2026-11-25T18:07:08.407671Z','ada',225,NULL,'first-note','First',NULL,1,NULL,'ada');
INSERT INTO "notes" VALUES('01a213e3-d662-7ebb-9832-2c934cc3d393',1,'2026-11-25T18:07:08.386801Z','ada','2026-11-25T18:07:08.386801Z','ada',NULL,'first-note','second','Second',NULL,0,'2031-04-09','ada');
CREATE INDEX notes_by_author ON notes (author, id);
CREATE INDEX notes_by_due_on ON notes (due_on, id);
CREATE INDEX notes_by_parent ON notes (parent, id);
CREATE INDEX ix_fenland_outcomes_expires_at ON fenland_outcomes (expires_at);
CREATE UNIQUE INDEX fenland_history_by_record ON fenland_history (record_id, version);
CREATE INDEX fenland_history_deleted ON fenland_history (collection, "key") WHERE action = 'delete';
CREATE TRIGGER fenland_history_no_update BEFORE UPDATE ON fenland_history BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
CREATE TRIGGER fenland_history_no_delete BEFORE DELETE ON fenland_history BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
COMMIT;
