BEGIN TRANSACTION;
CREATE TABLE fenland_accounts (
	name VARCHAR NOT NULL, 
	title VARCHAR NOT NULL, 
	roles JSON NOT NULL, 
	created_at DATETIME NOT NULL, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_accounts" VALUES('ada','ada','["editor"]','2026-11-25T18:07:12.988307Z');
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
	client VARCHAR, 
	PRIMARY KEY (sequence)
);
INSERT INTO "fenland_history" VALUES(1,'2026-11-25T18:07:14.251057Z','notes','01a213e3-ed4b-7028-a117-996bf2695734','"first-note"',1,'create','ada',NULL,'api','0312e979d3000002',NULL,NULL,'{"price":[null,1.50],"slug":[null,"first-note"],"title":[null,"First"],"pinned":[null,false],"author":[null,"ada"]}',NULL);
INSERT INTO "fenland_history" VALUES(2,'2026-11-25T18:07:14.261185Z','notes','01a213e3-ed55-728f-9aea-32fdbe60949c','"second"',1,'create','ada',NULL,'api','0312e979d3000003',NULL,NULL,'{"parent":[null,"first-note"],"slug":[null,"second"],"title":[null,"Second"],"pinned":[null,false],"due_on":[null,"2031-04-09"],"author":[null,"ada"]}',NULL);
INSERT INTO "fenland_history" VALUES(3,'2026-11-25T18:07:14.271418Z','notes','01a213e3-ed5f-7639-a004-b1b259c04f88','"third"',1,'create','ada',NULL,'api','0312e979d3000004',NULL,NULL,'{"slug":[null,"third"],"title":[null,"Third"],"pinned":[null,false],"author":[null,"ada"]}',NULL);
INSERT INTO "fenland_history" VALUES(4,'2026-11-25T18:07:14.282210Z','notes','01a213e3-ed4b-7028-a117-996bf2695734','"first-note"',2,'update','ada',NULL,'api','0312e979d3000005',NULL,NULL,'{"pinned":[false,true],"price":[1.50,2.25]}',NULL);
INSERT INTO "fenland_history" VALUES(5,'2026-11-25T18:07:14.294872Z','notes','01a213e3-ed5f-7639-a004-b1b259c04f88','"third"',2,'delete','ada',NULL,'api','0312e979d3000006',NULL,NULL,'{"slug":["third",null],"title":["Third",null],"pinned":[false,null],"author":["ada",null]}',NULL);
CREATE TABLE fenland_meta (
	name VARCHAR NOT NULL, 
	value JSON NOT NULL, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_meta" VALUES('layout',3);
INSERT INTO "fenland_meta" VALUES('table notes','[{"name": "id", "type": "VARCHAR(36)", "kept": "", "required": true, "unique": false, "references": []}, {"name": "version", "type": "BIGINT", "kept": "", "required": true, "unique": false, "references": []}, {"name": "created_at", "type": "DATETIME", "kept": "", "required": true, "unique": false, "references": []}, {"name": "created_by", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "updated_at", "type": "DATETIME", "kept": "", "required": true, "unique": false, "references": []}, {"name": "updated_by", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "price", "type": "NUMERIC(20, 2)", "kept": "decimals with 2 digits after the point", "required": false, "unique": false, "references": []}, {"name": "parent", "type": "TEXT", "kept": "texts", "required": false, "unique": false, "references": ["notes.slug"]}, {"name": "slug", "type": "TEXT", "kept": "texts", "required": true, "unique": true, "references": []}, {"name": "title", "type": "VARCHAR(120)", "kept": "texts", "required": true, "unique": false, "references": []}, {"name": "body", "type": "VARCHAR(5000)", "kept": "texts", "required": false, "unique": false, "references": []}, {"name": "pinned", "type": "BOOLEAN", "kept": "true or false", "required": true, "unique": false, "references": []}, {"name": "due_on", "type": "DATE", "kept": "dates", "required": false, "unique": false, "references": []}, {"name": "author", "type": "TEXT", "kept": "texts", "required": true, "unique": false, "references": []}]');
INSERT INTO "fenland_meta" VALUES('table fenland_accounts','[{"name": "name", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "title", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "roles", "type": "JSON", "kept": "", "required": true, "unique": false, "references": []}, {"name": "created_at", "type": "DATETIME", "kept": "", "required": true, "unique": false, "references": []}]');
INSERT INTO "fenland_meta" VALUES('table fenland_tokens','[{"name": "hash", "type": "VARCHAR(64)", "kept": "", "required": true, "unique": false, "references": []}, {"name": "account", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": ["fenland_accounts.name"]}, {"name": "label", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "created_at", "type": "DATETIME", "kept": "", "required": true, "unique": false, "references": []}, {"name": "expires_at", "type": "DATETIME", "kept": "", "required": false, "unique": false, "references": []}, {"name": "revoked_at", "type": "DATETIME", "kept": "", "required": false, "unique": false, "references": []}]');
INSERT INTO "fenland_meta" VALUES('table fenland_outcomes','[{"name": "account", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "key", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "fingerprint", "type": "VARCHAR(64)", "kept": "", "required": true, "unique": false, "references": []}, {"name": "content", "type": "JSON", "kept": "", "required": true, "unique": false, "references": []}, {"name": "expires_at", "type": "DATETIME", "kept": "", "required": true, "unique": false, "references": []}]');
INSERT INTO "fenland_meta" VALUES('table fenland_history','[{"name": "sequence", "type": "INTEGER", "kept": "", "required": true, "unique": false, "references": []}, {"name": "time", "type": "DATETIME", "kept": "", "required": true, "unique": false, "references": []}, {"name": "collection", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "record_id", "type": "VARCHAR(36)", "kept": "", "required": true, "unique": false, "references": []}, {"name": "key", "type": "TEXT", "kept": "", "required": true, "unique": false, "references": []}, {"name": "version", "type": "BIGINT", "kept": "", "required": true, "unique": false, "references": []}, {"name": "action", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "actor", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "behalf", "type": "VARCHAR", "kept": "", "required": false, "unique": false, "references": []}, {"name": "via", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "request_id", "type": "VARCHAR", "kept": "", "required": true, "unique": false, "references": []}, {"name": "reason", "type": "TEXT", "kept": "", "required": false, "unique": false, "references": []}, {"name": "cause", "type": "INTEGER", "kept": "", "required": false, "unique": false, "references": []}, {"name": "changes", "type": "JSON", "kept": "", "required": true, "unique": false, "references": []}, {"name": "client", "type": "VARCHAR", "kept": "", "required": false, "unique": false, "references": []}]');
CREATE TABLE fenland_outcomes (
	account VARCHAR NOT NULL, 
	"key" VARCHAR NOT NULL, 
	fingerprint VARCHAR(64) NOT NULL, 
	content JSON NOT NULL, 
	expires_at DATETIME NOT NULL, 
	PRIMARY KEY (account, "key")
);
INSERT INTO "fenland_outcomes" VALUES('ada','first','2faacee5baf193e25e31f31f2371e686cb42eb1fcb12b622247c35dd428212f0','{"record":{"id":"01a213e3-ed4b-7028-a117-996bf2695734","version":1,"created_at":"2026-11-25T18:07:14.251057Z","created_by":"ada","updated_at":"2026-11-25T18:07:14.251057Z","updated_by":"ada","price":1.50,"parent":null,"slug":"first-note","title":"First","body":null,"pinned":false,"due_on":null,"author":"ada"},"changed":true,"dropped":[]}','2026-11-26T18:07:14.252302Z');
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
INSERT INTO "fenland_tokens" VALUES('953c3a5bc7a60c2d1251fae8341a37934e80948741dcab6518e4789fbea28f5c','ada','first','2026-11-25T18:07:12.989231Z',NULL,NULL);
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
INSERT INTO "notes" VALUES('01a213e3-ed4b-7028-a117-996bf2695734',2,'2026-11-25T18:07:14.251057Z','ada','2026-11-25T18:07:14.282210Z','ada',225,NULL,'first-note','First',NULL,1,NULL,'ada');
INSERT INTO "notes" VALUES('01a213e3-ed55-728f-9aea-32fdbe60949c',1,'2026-11-25T18:07:14.261185Z','ada','2026-11-25T18:07:14.261185Z','ada',NULL,'first-note','second','Second',NULL,0,'2031-04-09','ada');
CREATE INDEX notes_by_author ON notes (author, id);
CREATE INDEX notes_by_due_on ON notes (due_on, id);
CREATE INDEX notes_by_parent ON notes (parent, id);
CREATE INDEX ix_fenland_outcomes_expires_at ON fenland_outcomes (expires_at);
CREATE UNIQUE INDEX fenland_history_by_record ON fenland_history (record_id, version);
CREATE INDEX fenland_history_deleted ON fenland_history (collection, "key") WHERE action = 'delete';
CREATE TRIGGER fenland_history_no_update BEFORE UPDATE ON fenland_history BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
CREATE TRIGGER fenland_history_no_delete BEFORE DELETE ON fenland_history BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
COMMIT;
