/* Written by scripts/console_types.py from the OpenAPI document; not to be edited by hand. */
export interface paths {
  "/v1/records/{collection}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
      };
      cookie?: never;
    };
    /**
     * List and search records
     * @description Pages by cursor; no record is met twice. 304 when If-None-Match has its ETag.
     */
    get: operations["listRecord"];
    put?: never;
    /**
     * Create a record
     * @description Answers with the record as created, defaults included.
     */
    post: operations["createRecord"];
    /**
     * Delete records by filter
     * @description The filter chooses them, as in lists; each gets its history entry.
     */
    delete: operations["deleteManyRecord"];
    options?: never;
    head?: never;
    /**
     * Change records by filter
     * @description The filter chooses them, as in lists; each gets its history entry.
     */
    patch: operations["updateManyRecord"];
    trace?: never;
  };
  "/v1/records/{collection}/save": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Create a record, or change the one whose id is sent
     * @description For a form that adds and edits: an id that is empty or left out creates.
     */
    post: operations["saveRecord"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    /**
     * Read a record
     * @description The record as it is now, or was; 304 when If-None-Match has its ETag.
     */
    get: operations["readRecord"];
    /**
     * Replace a record
     * @description What is left out gets its default, or null.
     */
    put: operations["replaceRecord"];
    post?: never;
    /**
     * Delete a record
     * @description Answers with the last copy; the history stays.
     */
    delete: operations["deleteRecord"];
    options?: never;
    head?: never;
    /**
     * Change fields of a record
     * @description Only the fields that are sent; see docs/updates.md.
     */
    patch: operations["updateRecord"];
    trace?: never;
  };
  "/v1/records/{collection}/{key}/preview": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * See what a change of a record would do
     * @description Takes what PATCH takes, and saves nothing.
     */
    post: operations["previewRecord"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/access": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    /**
     * What may be done with a record, and why
     * @description Each right and field, with its rule.
     */
    get: operations["accessRecord"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/form": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    /**
     * All a form to edit a record needs
     * @description Values, schema, choices and who may set what.
     */
    get: operations["formRecord"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/import": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Bring in records from a file
     * @description Columns are matched to fields by name or title; each row goes through the pipeline of one record.
     */
    post: operations["importRecord"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/exports/records": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * Export records
     * @description The whole list as a file. A list can be asked for as one by Accept, too.
     */
    get: operations["exportRecord"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/history": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    /**
     * Who changed what in a record
     * @description Newest first, also after it was deleted.
     */
    get: operations["historyRecord"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/difference": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    /**
     * What differs between two versions of a record
     * @description Who may read the record may read this.
     */
    get: operations["differenceRecord"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/restore": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Bring a record back, or to how it was
     * @description A deleted one as it was last, or at a moment; one that is there, at a moment.
     */
    post: operations["restoreRecord"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/erase": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Erase values of a record for good
     * @description Sensitive fields alone; the values go from the record, its history and kept outcomes.
     */
    post: operations["eraseRecord"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/presence": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Say that one has record open, and see who else has
     * @description A courtesy: nothing is locked by it, nothing of it is kept.
     */
    post: operations["meetRecord"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/batch": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Several creates, updates and deletes at once
     * @description Several creates, updates and deletes at once.
     */
    post: operations["batch"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * Search the history of everything
     * @description Search the history of everything.
     */
    get: operations["searchHistory"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/activity": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * How many entries there were day by day
     * @description How many entries there were day by day.
     */
    get: operations["readActivity"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/undo": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Undo a batch, or all that an account did in a while
     * @description Undo a batch, or all that an account did in a while.
     */
    post: operations["undoMany"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/{sequence}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The number of the entry. */
        sequence: number;
      };
      cookie?: never;
    };
    /**
     * One entry
     * @description One entry.
     */
    get: operations["readEntry"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/{sequence}/undo": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The number of the entry. */
        sequence: number;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Undo the save of an entry
     * @description Undo the save of an entry.
     */
    post: operations["undo"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/passes": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * What was handed out, the newest first
     * @description What was handed out, the newest first.
     */
    get: operations["listPasses"];
    put?: never;
    /**
     * Make a link for somebody without an account
     * @description Make a link for somebody without an account.
     */
    post: operations["makePass"];
    /**
     * End all passes of a template, or of a letter run
     * @description End all passes of a template, or of a letter run.
     */
    delete: operations["revokePasses"];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/passes/letters": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Make a link for each record of a list
     * @description Make a link for each record of a list.
     */
    post: operations["writeLetters"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/passes/{number}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    /**
     * A pass
     * @description A pass.
     */
    get: operations["readPass"];
    put?: never;
    post?: never;
    /**
     * End a pass
     * @description End a pass.
     */
    delete: operations["revokePass"];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/passes/{number}/renew": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Give a pass another link
     * @description Give a pass another link.
     */
    post: operations["renewPass"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/passes/{number}/unlock": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Have second answers taken again
     * @description Have second answers taken again.
     */
    post: operations["unlockPass"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * What came in through passes, the oldest first
     * @description What came in through passes, the oldest first.
     */
    get: operations["listProposals"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/counts": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * How many wait
     * @description How many wait.
     */
    get: operations["countProposals"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/apply": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Apply several proposals, each on its own
     * @description Apply several proposals, each on its own.
     */
    post: operations["applyProposals"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/refuse": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Refuse several proposals, each on its own
     * @description Refuse several proposals, each on its own.
     */
    post: operations["refuseProposals"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/withdraw": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Take several proposals back for who sent them
     * @description Take several proposals back for who sent them.
     */
    post: operations["withdrawProposals"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/{number}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    /**
     * A proposal, and what would be wrong with it now
     * @description A proposal, and what would be wrong with it now.
     */
    get: operations["readProposal"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/{number}/apply": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Apply a proposal, or some of its fields
     * @description Apply a proposal, or some of its fields.
     */
    post: operations["applyProposal"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/{number}/refuse": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Refuse a proposal, or some of its fields
     * @description Refuse a proposal, or some of its fields.
     */
    post: operations["refuseProposal"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/proposals/{number}/withdraw": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Take a proposal back for who sent it
     * @description Take a proposal back for who sent it.
     */
    post: operations["withdrawProposal"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/changes": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * Changes, in the order of their commits
     * @description What the caller may see, none missed and none twice. Records that come to be theirs arrive, and those that are not any more leave.
     */
    get: operations["listChanges"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/head": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The signed head of the history
     * @description With above and wait it is answered once there are more entries, or the time is over.
     */
    get: operations["readHead"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/heads": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The heads that are kept, newest first
     * @description The heads that are kept, newest first.
     */
    get: operations["listHeads"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/keys": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The public keys that sign heads
     * @description The public keys that sign heads.
     */
    get: operations["readKeys"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/consistency": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * What shows that the history begins with all of an older head
     * @description What shows that the history begins with all of an older head.
     */
    get: operations["readConsistency"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/history/{sequence}/proof": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The number of the entry. */
        sequence: number;
      };
      cookie?: never;
    };
    /**
     * What shows that an entry stands in the history
     * @description What shows that an entry stands in the history.
     */
    get: operations["readProof"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/history/proof": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    /**
     * What proves the history of a record
     * @description Who may read the record may read this.
     */
    get: operations["proveRecord"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/records/{collection}/{key}/history/evidence": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    /**
     * An evidence file of a record
     * @description Who may read the record may read this.
     */
    get: operations["evidenceRecord"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/schemas": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The collections there are
     * @description The collections there are.
     */
    get: operations["listCollections"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/schemas/{collection}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    /**
     * The JSON Schema of a collection for this caller
     * @description The JSON Schema of a collection for this caller.
     */
    get: operations["readSchema"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/schemas/{collection}/access": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    /**
     * Who may do what with records, by role
     * @description Who may do what with records, by role.
     */
    get: operations["readRules"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/schemas/{collection}/consequences": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    /**
     * What follows from changes, and in its fields
     * @description What follows from changes, and in its fields.
     */
    get: operations["listConsequences"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/schemas/{collection}/calls": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    /**
     * Calls to copy into tools that know little more than an address
     * @description For what this caller may: an address, headers and a body for each thing to do.
     */
    get: operations["listCalls"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/schemas/{collection}/choices/{field}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
        /** @description The field's name. */
        field: string;
      };
      cookie?: never;
    };
    /**
     * What a field may hold, searched
     * @description What a field may hold, searched.
     */
    get: operations["listChoices"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/definitions/mistakes": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * What is wrong with the definitions as saved
     * @description Where fenland start --reload watches them: the service goes on with what it had.
     */
    get: operations["readMistakes"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/edits.schema.json": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The JSON Schema of edits
     * @description The JSON Schema of edits.
     */
    get: operations["readEditsSchema"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/definitions.schema.json": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The JSON Schema of the files that describe record types, for editors
     * @description The JSON Schema of the files that describe record types, for editors.
     */
    get: operations["readDefinitionsSchema"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/session": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * Who is signed in
     * @description Who is signed in.
     */
    get: operations["readSession"];
    put?: never;
    /**
     * Sign in with name and password; a browser gets a session
     * @description Sign in with name and password; a browser gets a session.
     */
    post: operations["beginSession"];
    /**
     * Sign out
     * @description Sign out.
     */
    delete: operations["endSession"];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/session/password": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Give the own account another password
     * @description Give the own account another password.
     */
    post: operations["changePassword"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/tokens": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The tokens and sessions of an account
     * @description The tokens and sessions of an account.
     */
    get: operations["listTokens"];
    put?: never;
    /**
     * Make a token, which is shown this once
     * @description Make a token, which is shown this once.
     */
    post: operations["issueToken"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/tokens/{id}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The token's id. */
        id: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    post?: never;
    /**
     * Revoke a token, or end a session
     * @description Revoke a token, or end a session.
     */
    delete: operations["revokeToken"];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/requests": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The own last requests that were noted, the newest first
     * @description The last 200 of the account. No secrets, and no secret values, are in them.
     */
    get: operations["listRequests"];
    /**
     * Note the own requests for a while
     * @description What was noted is kept for an hour after; then it is removed.
     */
    put: operations["inspectRequests"];
    post?: never;
    /**
     * Note the own requests no more, and forget those noted
     * @description Note the own requests no more, and forget those noted.
     */
    delete: operations["forgetRequests"];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/requests/{number}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    /**
     * One of the own requests
     * @description One of the own requests.
     */
    get: operations["readRequest"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/accounts": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * All accounts, for who manages them
     * @description All accounts, for who manages them.
     */
    get: operations["listAccounts"];
    put?: never;
    /**
     * Add an account
     * @description Add an account.
     */
    post: operations["addAccount"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/accounts/{name}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The account's name. */
        name: string;
      };
      cookie?: never;
    };
    /**
     * An account
     * @description An account.
     */
    get: operations["readAccount"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    /**
     * Change an account: what is not named stays
     * @description Change an account: what is not named stays.
     */
    patch: operations["changeAccount"];
    trace?: never;
  };
  "/v1/notices": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * Notices that effects left, for who manages accounts
     * @description Notices that effects left, for who manages accounts.
     */
    get: operations["listNotices"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/subscriptions": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * Which other systems are sent what
     * @description Which other systems are sent what.
     */
    get: operations["listSubscriptions"];
    put?: never;
    /**
     * Have what an account sees sent to another system
     * @description Have what an account sees sent to another system.
     */
    post: operations["addSubscription"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/subscriptions/{subscription}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    /**
     * A subscription
     * @description A subscription.
     */
    get: operations["readSubscription"];
    put?: never;
    post?: never;
    /**
     * Send nothing to another system any more
     * @description Send nothing to another system any more.
     */
    delete: operations["removeSubscription"];
    options?: never;
    head?: never;
    /**
     * Change a subscription, pause it or go on
     * @description Change a subscription, pause it or go on.
     */
    patch: operations["changeSubscription"];
    trace?: never;
  };
  "/v1/subscriptions/{subscription}/secret": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Sign with another secret, for a while beside the last
     * @description Sign with another secret, for a while beside the last.
     */
    post: operations["rotateSecret"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/subscriptions/{subscription}/test": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Send a test
     * @description Send a test.
     */
    post: operations["testSubscription"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/subscriptions/{subscription}/resend": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Send all again that came since a moment
     * @description Send all again that came since a moment.
     */
    post: operations["resendSince"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/subscriptions/{subscription}/deliveries": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    /**
     * What was sent, and is to be sent, the newest first
     * @description What was sent, and is to be sent, the newest first.
     */
    get: operations["listDeliveries"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/subscriptions/{subscription}/deliveries/{number}": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    /**
     * A delivery and each attempt at it
     * @description A delivery and each attempt at it.
     */
    get: operations["readDelivery"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/subscriptions/{subscription}/deliveries/{number}/resend": {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Send one again
     * @description Send one again.
     */
    post: operations["resend"];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/healthz": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * Whether the service is well
     * @description Whether the service is well.
     */
    get: operations["readHealth"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  "/v1/openapi.json": {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * This document
     * @description Of one collection, in an older version, without references: for importers that need it.
     */
    get: operations["readOpenapi"];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
}
export type webhooks = Record<string, never>;
export interface components {
  schemas: {
    /** @description RFC 9457 problem details. */
    Problem: {
      /** Format: uri-reference */
      type: string;
      title: string;
      status: number;
      detail: string;
      request_id?: string;
      /** @description Where the feed begins, with 410. */
      after?: string;
      /** @description The record's version, with 412. */
      version?: number;
      /** @description The setting that was passed, with 413. */
      limit?: string;
      /** @description Its value. */
      most?: number;
      /** @description Of an expression, the line where it goes wrong. */
      line?: number;
      /** @description The place in that line, from 1. */
      column?: number;
      /** @description That line, with a caret under the place. */
      shown?: string;
    };
    /** @description One thing wrong with one place; the parameters of the rule stand beside these. */
    FieldError: {
      /** Format: json-pointer */
      pointer: string;
      code: string;
      detail: string;
    } & {
      [key: string]: unknown;
    };
    /** @description What is wrong, field by field. An idempotency key used before has no errors. */
    Invalid: {
      /** Format: uri-reference */
      type: string;
      title: string;
      status: number;
      detail: string;
      request_id?: string;
      errors?: components["schemas"]["FieldError"][];
      /** @description The setting that was passed, with 413. */
      limit?: string;
      /** @description Its value. */
      most?: number;
    };
    /** @description A field others changed too: as it was, is and was sent. Or a condition that does not hold. */
    FieldConflict: {
      /** Format: json-pointer */
      pointer: string;
      /** @description Any JSON value. */
      base?: unknown;
      /** @description Any JSON value. */
      current?: unknown;
      /** @description Any JSON value. */
      yours?: unknown;
      only_if?: {
        [key: string]: unknown;
      };
    };
    Referring: {
      collection: string;
      key: string | number;
    };
    /** @description What stands in the way, and what was not done for it. */
    Conflict: {
      /** Format: uri-reference */
      type: string;
      title: string;
      status: number;
      detail: string;
      request_id?: string;
      /** @description The record's version. */
      version?: number;
      conflicts?: components["schemas"]["FieldConflict"][];
      /** @description Records that refer to the one to be deleted. */
      count?: number;
      referring?: components["schemas"]["Referring"][];
      /** @description Of a JSON Patch, the one that cannot be done. */
      operation?: number;
    };
    /** @description A change that would follow in another record, or a notice, and the rule, as file and line. */
    Consequence: {
      collection: string;
      key: string | number;
      action: string;
      rule: string | null;
      /** @description Of a notice that would be left, what it is called. */
      notice: string | null;
      changes: {
        [key: string]: components["schemas"]["Change"];
      };
    };
    Change: {
      /** @description Any JSON value. */
      before?: unknown;
      /** @description Any JSON value. */
      after?: unknown;
      /** @description Its values are not shown. */
      hidden?: boolean;
      /** @description A value was erased for good. */
      erased?: boolean;
      /** @description Of an object, each place inside it that differs. */
      inside?: {
        /** Format: json-pointer */
        pointer: string;
        /** @description Any JSON value. */
        before: unknown;
        /** @description Any JSON value. */
        after: unknown;
      }[];
      /** @description Of a list, what was put in. */
      put_in?: unknown[];
      /** @description Of a list, what was taken out. */
      taken_out?: unknown[];
      /** @description What the field is called today, where that is otherwise. */
      now?: string;
    };
    /** @description One change of one record. */
    Entry: {
      sequence: number;
      /** Format: date-time */
      time: string;
      collection: string;
      /** Format: uuid */
      id: string;
      key: string | number;
      version: number;
      /** @enum {string} */
      action:
        | "create"
        | "update"
        | "delete"
        | "restore"
        | "erase"
        | "derive"
        | "migrate"
        | "sign_in"
        | "sign_in_refused"
        | "issue_token"
        | "revoke_token";
      actor: string;
      behalf: string | null;
      /**
       * @example api
       * @example client
       * @example command-line
       * @example console
       * @example effect
       */
      via: string;
      client: string | null;
      request_id: string;
      /** @description What the changes of one batch share. */
      batch: string | null;
      reason: string | null;
      /** @description The entry that this one follows from. */
      cause: number | null;
      /** @description The entry that this one takes back. */
      undoes: number | null;
      /** @description The version that this one goes back to. */
      restores: number | null;
      /** @description Where the rule stands by which it follows, file and line. */
      rule: string | null;
      /** @description The proposal that it applies. */
      proposal: number | null;
      /** @description Of a record that was merely derived, the last version that was not. */
      settled: number | null;
      changes: {
        [key: string]: components["schemas"]["Change"];
      };
      sentence: string;
      /** @description Whether others follow from it; in no file. */
      causes?: boolean;
    };
    Health: {
      status: string;
      title: string;
      version: string;
    };
    Choice: {
      /** @description Any JSON value. */
      value: unknown;
      label: string;
    };
    Choices: {
      options: components["schemas"]["Choice"][];
      more: boolean;
      search?: string;
    };
    /** @description A record type, and what this caller may do with it. */
    Collection: {
      name: string;
      title: string;
      singular: string;
      description: string;
      key: string;
      naming: string;
      owner: string | null;
      searched: string[];
      /** @description Whether its records say how lists of others are shown. */
      views: boolean;
      /** @description The fields that refer to other records, each with their collection. */
      references: {
        [key: string]: string;
      };
      indexed: string[];
      /** @enum {string} */
      if_match: "optional" | "required";
      may: {
        read: boolean;
        create: boolean;
        update: boolean;
        delete: boolean;
        pass: boolean;
        review: boolean;
      };
      /** @description The templates that this caller may make passes of. */
      passes: {
        name: string;
        title: string;
        lists: boolean;
        days: number;
      }[];
      schema: string;
      records: string;
    };
    Calls: {
      items: components["schemas"]["Call"][];
    };
    /** @description A call to copy: what stands in braces is to be filled in. */
    Call: {
      action: string;
      /** @enum {string} */
      way: "any" | "form" | "texts" | "json";
      title: string;
      method: string;
      url: string;
      headers: {
        [key: string]: string;
      };
      body: string | null;
      untouched: string;
    };
    /** @description What people read in place of a key or an account's name: by field, and by what it holds. */
    Labels: {
      [key: string]: {
        [key: string]: string;
      };
    };
    /** @description What records refer to: by collection, and by key. */
    Included: {
      [key: string]: {
        [key: string]: {
          [key: string]: unknown;
        };
      };
    };
    Collections: {
      items: components["schemas"]["Collection"][];
    };
    /**
     * @description RFC 6902.
     * @example [
     *       {
     *         "op": "test",
     *         "path": "/status",
     *         "value": "standby"
     *       }
     *     ]
     */
    JsonPatch: {
      /** @enum {string} */
      op: "add" | "remove" | "replace" | "move" | "copy" | "test";
      /** Format: json-pointer */
      path: string;
      /** Format: json-pointer */
      from?: string;
      /** @description Any JSON value. */
      value?: unknown;
    }[];
    Entries: {
      items: components["schemas"]["Entry"][];
      /** @description The sequence to go on below; null at the end. */
      next: number | null;
      labels: {
        [key: string]: {
          [key: string]: {
            [key: string]: string;
          };
        };
      };
      people: {
        [key: string]: string;
      };
      /** @description Files that older entries were moved to. */
      archived: string[];
    };
    History: {
      items: components["schemas"]["Entry"][];
      next: number | null;
      labels: {
        [key: string]: {
          [key: string]: string;
        };
      };
      people: {
        [key: string]: string;
      };
      /** @description Files that older entries were moved to. */
      archived: string[];
    };
    Difference: {
      from: number;
      to: number;
      changes: {
        [key: string]: components["schemas"]["Change"];
      };
      before: {
        [key: string]: unknown;
      };
      after: {
        [key: string]: unknown;
      };
    };
    Activity: {
      days: string[];
      series: {
        name: string;
        counts: number[];
      }[];
      /** @description From when on they are counted whole; null: all. */
      since: string | null;
    };
    /** @description What became of one entry that was to be undone. */
    Undone: {
      sequence: number;
      collection: string;
      key: string | number;
      /** @enum {string} */
      did: "update" | "delete" | "restore" | "revoke" | "nothing";
      version: number | null;
      changes: {
        [key: string]: components["schemas"]["Change"];
      };
      problem?: {
        [key: string]: unknown;
      };
    };
    Undoing: {
      /** @description Whether anything of it was kept. */
      done: boolean;
      preview: boolean;
      undone: number;
      refused: number;
      /** @description Saves that there was no time for: ask for them again. */
      left: number;
      /** @description Records among them that the caller may not see. */
      unseen: number;
      batch: string | null;
      items: components["schemas"]["Undone"][];
    };
    /** @description A signed head of the history's tree. */
    Head: {
      size: number;
      root: string;
      /** Format: date-time */
      time: string;
      /** @description A JWS in compact form (RFC 7515), EdDSA. */
      signed: string;
    };
    Heads: {
      items: components["schemas"]["Head"][];
      next: number | null;
    };
    /** @description A JWK set (RFC 7517). */
    KeySet: {
      keys: {
        [key: string]: unknown;
      }[];
    };
    Consistency: {
      from: number;
      to: number;
      from_root: string;
      to_root: string;
      /** @description Hashes, as RFC 9162 section 2.1 orders them. */
      path: string[];
    };
    Proof: {
      sequence: number;
      /** @description null for an entry older than salts of which some is hidden: its hash could tell what. */
      leaf_hash: string | null;
      /** @description Hashes, as RFC 9162 section 2.1 orders them. */
      path: string[];
      /** @description The entry as it was hashed; null where some of it is hidden. */
      leaf: {
        [key: string]: unknown;
      } | null;
      /** @description What opens the commitments of a leaf, by field: before and after. */
      opened: {
        [key: string]: ({
          salt: string;
          /** @description Any JSON value. */
          value: unknown;
        } | null)[];
      };
      head: components["schemas"]["Head"];
    };
    Proven: {
      sequence: number;
      /** @description null for an entry older than salts of which some is hidden: its hash could tell what. */
      leaf_hash: string | null;
      /** @description Hashes, as RFC 9162 section 2.1 orders them. */
      path: string[];
      /** @description The entry as it was hashed; null where some of it is hidden. */
      leaf: {
        [key: string]: unknown;
      } | null;
      /** @description What opens the commitments of a leaf, by field: before and after. */
      opened: {
        [key: string]: ({
          salt: string;
          /** @description Any JSON value. */
          value: unknown;
        } | null)[];
      };
    };
    Proofs: {
      head: components["schemas"]["Head"];
      items: components["schemas"]["Proven"][];
      next: number | null;
    };
    /** @description All that shows what became of a record; docs/verifying.md says how to check it. */
    Evidence: {
      format: string;
      collection: string;
      id: string;
      key: string | number;
      head: components["schemas"]["Head"];
      keys: components["schemas"]["KeySet"];
      entries: components["schemas"]["Proven"][];
    };
    /** @description One change. `reset`: what may be seen is another now, so that lists are to be read again. */
    Event: {
      /** @constant */
      specversion: "1.0";
      /** @description In the order of the feed; what `after` takes. */
      id: string;
      /** @description The list that the record, or the proposal, is of. */
      source: string;
      /** @enum {unknown} */
      type:
        | "fenland.record.created"
        | "fenland.record.updated"
        | "fenland.record.deleted"
        | "fenland.record.arrived"
        | "fenland.record.left"
        | "fenland.proposal.proposed"
        | "fenland.proposal.reviewed"
        | "fenland.reset";
      /** Format: date-time */
      time: string;
      /** @description The record's key, or the proposal's number. */
      subject?: string;
      recordid?: string;
      recordversion?: number;
      /** @description That of the entry in the history. */
      action?: string;
      actor?: string;
      client?: string;
      /** @constant */
      datacontenttype?: "application/json";
      data?: {
        changes?: {
          [key: string]: components["schemas"]["Change"];
        };
        /** @description As the caller may see it now. */
        record?: {
          [key: string]: unknown;
        };
        /** @description Of a proposal: the collection of the record that its pass is for. */
        of?: string;
        /** @description And the key of that record. */
        key?: string | number;
        kind?: string;
        /** @description What has become of the proposal by now. */
        state?: string;
      };
    };
    Events: components["schemas"]["Event"][];
    ImportColumn: {
      column: string;
      field: string | null;
    };
    /** @description A row that was refused: its number in the file, a header being row 1, and why. */
    ImportProblem: {
      row: number;
      detail: string;
      /** @description The row as it was sent, by column; null where it cannot be told. */
      cells: {
        [key: string]: unknown;
      } | null;
      errors: ({
        pointer: string;
        code: string;
        detail: string;
        column: string | null;
      } & {
        [key: string]: unknown;
      })[];
    };
    ImportChange: {
      row: number;
      /** @enum {string} */
      action: "create" | "update";
      key: string | number;
      changes: {
        [key: string]: components["schemas"]["Change"];
      };
    };
    /** @description A row of the same record as an earlier one of the file: the later has the last word. */
    ImportRepeat: {
      row: number;
      earlier: number;
    };
    /** @description What became of the rows of a file, or would become of them. */
    Imported: {
      /** @description Whether every row was taken, and it was no preview. */
      done: boolean;
      /** @description What the entries of these changes share. */
      batch: string | null;
      rows: number;
      created: number;
      updated: number;
      unchanged: number;
      refused: number;
      columns: components["schemas"]["ImportColumn"][];
      unmatched: string[];
      changes: components["schemas"]["ImportChange"][];
      problems: components["schemas"]["ImportProblem"][];
      repeats: components["schemas"]["ImportRepeat"][];
      /** @description How many rows repeat a record, told one by one or not. */
      repeated: number;
    };
    Session: {
      account: string;
      title: string;
      roles: string[];
      attributes: {
        [key: string]: unknown;
      };
      manages_accounts: boolean;
      /** @description Whether they may have what they see sent elsewhere. */
      may_subscribe: boolean;
      /** @description Rights and collections that a token lends; null is all of them. */
      scope: {
        rights?: string[] | null;
        collections?: string[] | null;
      } | null;
      /** @description Who acts, on behalf of the account. */
      acting: string | null;
      /** @description To send as Fenland-CSRF with changes in a session. */
      csrf: string | null;
    };
    Credentials: {
      name: string;
      password: string;
    };
    PasswordChange: {
      current: string;
      new: string;
    };
    Account: {
      name: string;
      title: string;
      roles: string[];
      /** @description What rules can use. */
      attributes: {
        [key: string]: unknown;
      };
      disabled: boolean;
    };
    Accounts: {
      items: components["schemas"]["Account"][];
      roles: string[];
    };
    AccountNew: {
      name: string;
      title?: string;
      roles?: string[];
      /** @description What rules can use. */
      attributes?: {
        [key: string]: unknown;
      };
      /** @description Null takes it away. */
      password?: string | null;
    };
    AccountPatch: {
      title?: string;
      roles?: string[];
      /** @description What rules can use. */
      attributes?: {
        [key: string]: unknown;
      };
      /** @description Null takes it away. */
      password?: string | null;
      disabled?: boolean;
    };
    Token: {
      id: string;
      /** @enum {string} */
      kind: "token" | "session";
      label: string;
      /** Format: date-time */
      created_at: string;
      /** Format: date-time */
      expires_at: string | null;
      /** Format: date-time */
      used_at: string | null;
      /** @description Rights and collections that a token lends; null is all of them. */
      scope: {
        rights?: string[] | null;
        collections?: string[] | null;
      } | null;
    };
    Tokens: {
      items: components["schemas"]["Token"][];
    };
    TokenNew: {
      label?: string;
      days?: number | null;
      /** @description Rights and collections that a token lends; null is all of them. */
      scope?: {
        rights?: string[] | null;
        collections?: string[] | null;
      } | null;
    };
    TokenIssued: {
      /** @description Shown this once. */
      token: string;
      id: string;
      /** @enum {string} */
      kind: "token" | "session";
      label: string;
      /** Format: date-time */
      created_at: string;
      /** Format: date-time */
      expires_at: string | null;
      /** Format: date-time */
      used_at: string | null;
      /** @description Rights and collections that a token lends; null is all of them. */
      scope: {
        rights?: string[] | null;
        collections?: string[] | null;
      } | null;
    };
    ChoicePage: {
      items: components["schemas"]["Choice"][];
      next: string | null;
    };
    /** @description What follows from changes: fields that are derived, begin with something, or are set. */
    Consequences: {
      items: {
        /** @enum {string} */
        kind: "derived" | "default" | "series" | "effect" | "create" | "delete" | "deletion" | "call" | "notice" | "pass";
        /** @description The field that it is about; or the collection. */
        place: string;
        does: string;
        sources: string[];
        on: string[];
        if: string | null;
        /** @description The collection that it follows from. */
        by: string | null;
        /** @description The records that a rule finds. */
        found: string | null;
        file: string | null;
        line: number | null;
      }[];
      /** @description How many are about fields that are not the caller's to read. */
      unseen: number;
    };
    /** @description Whether something may be done, by which rule, and which parts of it decide. */
    Judgement: {
      allowed: boolean;
      because?: string;
      rule?: string;
      file?: string;
      line?: number;
      parts?: {
        part: string;
        value: boolean | null;
        why?: string;
      }[];
      depends?: string;
    };
    Access: {
      account: string;
      rights: {
        [key: string]: components["schemas"]["Judgement"];
      };
      fields: {
        [key: string]: {
          read: components["schemas"]["Judgement"];
          update: components["schemas"]["Judgement"];
        };
      };
    };
    RoleRights: {
      /** @description Null for who has none. */
      role: string | null;
      rights: {
        [key: string]: {
          /** @enum {string} */
          may: "always" | "never" | "owner" | "where" | "as the record";
          if?: string;
        };
      };
    };
    AccessMatrix: {
      rights: string[];
      roles: components["schemas"]["RoleRights"][];
      fields: {
        field: string;
        title: string;
        roles: components["schemas"]["RoleRights"][];
      }[];
      rules: {
        [key: string]: {
          rule: string;
          file: string;
          line: number;
        };
      };
      checks: {
        rule: string;
        message: string;
        fields: string[];
      }[];
    };
    /** @description What became of the chosen records; up to 20 are shown, refusals first. */
    Many: {
      done: boolean;
      /** @description What the entries share. */
      batch: string | null;
      matched: number;
      changed: number;
      refused: number;
      records: {
        /** @description Any JSON value. */
        key: unknown;
        changes?: {
          [key: string]: unknown;
        };
        problem?: {
          [key: string]: unknown;
        };
      }[];
    };
    /** @description Messages for other systems, each written with the change that left it. */
    Notices: {
      items: {
        /** @description In the order in which they were left. */
        number: number;
        /** @description What it is called. */
        notice: string;
        /** Format: date-time */
        time: string;
        collection: string;
        key: string | number;
        /** @description The entry of the change that left it. */
        sequence: number;
        /** @description Where the effect stands, as file and line. */
        rule: string;
        /** @description What it says, by name. */
        data: Record<string, never>;
      }[];
      /** @description Behind which number there are more. */
      next: number | null;
    };
    Subscription: {
      name: string;
      /** @description With whose rights it is judged what is sent; one's own if left out. */
      account: string;
      /**
       * Format: uri
       * @description Where notices are sent, by https.
       */
      url: string;
      /** @description Those whose changes are sent; * is all of them. */
      collections: string[];
      /** @description A condition over records of the one collection; empty for none. */
      where: string;
      /**
       * @description What stands beside each event, as in the feed.
       * @enum {unknown}
       */
      data: "none" | "changes" | "record";
      /** @description Effects' notices that are sent, by name; * is all of them. */
      notices: string[];
      /** @description Whether nothing is sent; what comes meanwhile is sent afterwards. */
      paused: boolean;
      /** @description Why it is paused, where nobody did that. */
      why: string | null;
      /**
       * Format: date-time
       * @description Since when nothing that was sent was taken.
       */
      failing_since: string | null;
      /** @description Deliveries that are still to be sent, or sent again. */
      waiting: number;
      /** @description Those that were tried for long enough, and are tried no more. */
      parked: number;
      /** @description What signs now, the newest first, each until when. They are shown nowhere. */
      secrets: {
        /** Format: date-time */
        until: string | null;
      }[];
      version: number;
    };
    Subscriptions: {
      items: components["schemas"]["Subscription"][];
    };
    SubscriptionNew: {
      name: string;
      /** @description With whose rights it is judged what is sent; one's own if left out. */
      account?: string;
      /**
       * Format: uri
       * @description Where notices are sent, by https.
       */
      url: string;
      /** @description Those whose changes are sent; * is all of them. */
      collections?: string[];
      /** @description A condition over records of the one collection; empty for none. */
      where?: string;
      /**
       * @description What stands beside each event, as in the feed.
       * @enum {unknown}
       */
      data?: "none" | "changes" | "record";
      /** @description Effects' notices that are sent, by name; * is all of them. */
      notices?: string[];
    };
    SubscriptionPatch: {
      /** @description With whose rights it is judged what is sent; one's own if left out. */
      account?: string;
      /**
       * Format: uri
       * @description Where notices are sent, by https.
       */
      url?: string;
      /** @description Those whose changes are sent; * is all of them. */
      collections?: string[];
      /** @description A condition over records of the one collection; empty for none. */
      where?: string;
      /**
       * @description What stands beside each event, as in the feed.
       * @enum {unknown}
       */
      data?: "none" | "changes" | "record";
      /** @description Effects' notices that are sent, by name; * is all of them. */
      notices?: string[];
      /** @description Whether nothing is sent; what comes meanwhile is sent afterwards. */
      paused?: boolean;
    };
    SubscriptionIssued: {
      name: string;
      /** @description With whose rights it is judged what is sent; one's own if left out. */
      account: string;
      /**
       * Format: uri
       * @description Where notices are sent, by https.
       */
      url: string;
      /** @description Those whose changes are sent; * is all of them. */
      collections: string[];
      /** @description A condition over records of the one collection; empty for none. */
      where: string;
      /**
       * @description What stands beside each event, as in the feed.
       * @enum {unknown}
       */
      data: "none" | "changes" | "record";
      /** @description Effects' notices that are sent, by name; * is all of them. */
      notices: string[];
      /** @description Whether nothing is sent; what comes meanwhile is sent afterwards. */
      paused: boolean;
      /** @description Why it is paused, where nobody did that. */
      why: string | null;
      /**
       * Format: date-time
       * @description Since when nothing that was sent was taken.
       */
      failing_since: string | null;
      /** @description Deliveries that are still to be sent, or sent again. */
      waiting: number;
      /** @description Those that were tried for long enough, and are tried no more. */
      parked: number;
      /** @description What signs now, the newest first, each until when. They are shown nowhere. */
      secrets: {
        /** Format: date-time */
        until: string | null;
      }[];
      version: number;
      /** @description What signs the notices, by Standard Webhooks. Shown this once. */
      secret: string;
    };
    Secret: {
      /** @description What signs the notices, by Standard Webhooks. Shown this once. */
      secret: string;
    };
    SecretNew: {
      /** @description For how long those before it sign as well; 24 if left out. */
      hours?: number;
    };
    Delivery: {
      number: number;
      /** @description The id of the event. */
      event: string;
      type: string;
      collection: string | null;
      key: string | null;
      /**
       * Format: date-time
       * @description When it happened.
       */
      time: string;
      /**
       * @description void: when it was to be sent, the account could not see any more what it was about.
       * @enum {unknown}
       */
      state: "waiting" | "sent" | "parked" | "void";
      attempts: number;
      /**
       * Format: date-time
       * @description When it is sent next, where it waits.
       */
      due: string | null;
      last: {
        /** Format: date-time */
        time: string;
        milliseconds: number;
        /** @description Of the answer; null where none came. */
        status: number | null;
        /** @description What was wrong, where the answer does not say. */
        why: string | null;
        /** @description How the answer began. */
        answer: string;
      } | null;
    };
    DeliveryResult: {
      number: number;
      /** @description The id of the event. */
      event: string;
      type: string;
      collection: string | null;
      key: string | null;
      /**
       * Format: date-time
       * @description When it happened.
       */
      time: string;
      /**
       * @description void: when it was to be sent, the account could not see any more what it was about.
       * @enum {unknown}
       */
      state: "waiting" | "sent" | "parked" | "void";
      attempts: number;
      /**
       * Format: date-time
       * @description When it is sent next, where it waits.
       */
      due: string | null;
      tried: {
        /** Format: date-time */
        time: string;
        milliseconds: number;
        /** @description Of the answer; null where none came. */
        status: number | null;
        /** @description What was wrong, where the answer does not say. */
        why: string | null;
        /** @description How the answer began. */
        answer: string;
      }[];
    };
    Deliveries: {
      items: components["schemas"]["Delivery"][];
      /** @description Below which number there are more. */
      next: number | null;
    };
    Pass: {
      number: number;
      collection: string;
      template: string;
      /** @description Of the record that it is for; null for a list. */
      key: string | number | null;
      /** @description Whose rights it lends; null where a rule made it. */
      maker: string | null;
      /** @description Where that rule stands, file and line. */
      rule: string | null;
      /** @description The letter run that it was made in. */
      run: string | null;
      /**
       * @description idle: its record, its template or its maker does not allow it any more.
       * @enum {unknown}
       */
      state: "good" | "no link" | "revoked" | "over" | "used up" | "locked" | "idle";
      /** Format: date-time */
      made_at: string;
      /** Format: date-time */
      expires_at: string;
      /** Format: date-time */
      revoked_at: string | null;
      /**
       * Format: date-time
       * @description When its page was first opened.
       */
      opened_at: string | null;
      /**
       * Format: date-time
       * @description When something was last sent by it.
       */
      sent_at: string | null;
      /** @description How often something was. */
      sent: number;
    };
    Passes: {
      items: components["schemas"]["Pass"][];
      /** @description Below which number there are more. */
      next: number | null;
    };
    PassNew: {
      collection: string;
      template: string;
      key?: string | number;
      /** @description For how many days it is good; as the template says if left out. */
      days?: number | null;
    };
    PassIssued: {
      number: number;
      collection: string;
      template: string;
      /** @description Of the record that it is for; null for a list. */
      key: string | number | null;
      /** @description Whose rights it lends; null where a rule made it. */
      maker: string | null;
      /** @description Where that rule stands, file and line. */
      rule: string | null;
      /** @description The letter run that it was made in. */
      run: string | null;
      /**
       * @description idle: its record, its template or its maker does not allow it any more.
       * @enum {unknown}
       */
      state: "good" | "no link" | "revoked" | "over" | "used up" | "locked" | "idle";
      /** Format: date-time */
      made_at: string;
      /** Format: date-time */
      expires_at: string;
      /** Format: date-time */
      revoked_at: string | null;
      /**
       * Format: date-time
       * @description When its page was first opened.
       */
      opened_at: string | null;
      /**
       * Format: date-time
       * @description When something was last sent by it.
       */
      sent_at: string | null;
      /** @description How often something was. */
      sent: number;
      /** @description What its holder opens. Shown this once: only a hash is kept of it. */
      link: string;
    };
    LetterRun: {
      collection: string;
      template: string;
      /** @description A condition over records, as lists take it. */
      where?: string;
      /** @description By field, the values that it may have. */
      equal?: {
        [key: string]: string[];
      };
      /** @description For how many days it is good; as the template says if left out. */
      days?: number | null;
    };
    Proposal: {
      number: number;
      pass: number;
      template: string;
      /** @description That of the fields: of a new record, where it would be created. */
      collection: string;
      /** @description The collection of the record that the pass is for. */
      of: string;
      /** @description Of the record that the pass is for. */
      key: string | number | null;
      /** @description At which that record is now; null where it is gone. */
      version: number | null;
      /** @enum {unknown} */
      kind: "change" | "create" | "confirm" | "delete";
      /** @enum {unknown} */
      state: "waiting" | "applied" | "partly" | "refused" | "withdrawn" | "overtaken";
      fields: {
        [key: string]: {
          /** @description What stood there as its sender saw it. */
          base?: unknown;
          /** @description What they would have there. */
          proposed?: unknown;
          /** @description What stands there now. */
          current?: unknown;
          /** @enum {unknown} */
          state: "waiting" | "applied" | "refused" | "withdrawn" | "overtaken";
          /** @description Whether others changed it since it was proposed. */
          conflict?: boolean;
          /** @description Why it was refused. */
          reason: string | null;
          /** @description Who settled it. */
          by: string | null;
          /**
           * Format: date-time
           * @description When that was.
           */
          time: string | null;
          /** @description Whether you may not read it: then nothing else is told. */
          hidden?: boolean;
        };
      };
      /** @description The key of the record that it created. */
      created: string | number | null;
      /** @description What its sender says to whoever reviews it. */
      note: string;
      /** @description From where it came, as far as that is kept. */
      from: string;
      /** Format: date-time */
      time: string;
    };
    ProposalResult: {
      number: number;
      pass: number;
      template: string;
      /** @description That of the fields: of a new record, where it would be created. */
      collection: string;
      /** @description The collection of the record that the pass is for. */
      of: string;
      /** @description Of the record that the pass is for. */
      key: string | number | null;
      /** @description At which that record is now; null where it is gone. */
      version: number | null;
      /** @enum {unknown} */
      kind: "change" | "create" | "confirm" | "delete";
      /** @enum {unknown} */
      state: "waiting" | "applied" | "partly" | "refused" | "withdrawn" | "overtaken";
      fields: {
        [key: string]: {
          /** @description What stood there as its sender saw it. */
          base?: unknown;
          /** @description What they would have there. */
          proposed?: unknown;
          /** @description What stands there now. */
          current?: unknown;
          /** @enum {unknown} */
          state: "waiting" | "applied" | "refused" | "withdrawn" | "overtaken";
          /** @description Whether others changed it since it was proposed. */
          conflict?: boolean;
          /** @description Why it was refused. */
          reason: string | null;
          /** @description Who settled it. */
          by: string | null;
          /**
           * Format: date-time
           * @description When that was.
           */
          time: string | null;
          /** @description Whether you may not read it: then nothing else is told. */
          hidden?: boolean;
        };
      };
      /** @description The key of the record that it created. */
      created: string | number | null;
      /** @description What its sender says to whoever reviews it. */
      note: string;
      /** @description From where it came, as far as that is kept. */
      from: string;
      /** Format: date-time */
      time: string;
      /** @description What would be wrong if all that waits were applied now. */
      problems: components["schemas"]["FieldError"][];
    };
    Proposals: {
      items: components["schemas"]["Proposal"][];
      /** @description Behind which number there are more. */
      next: number | null;
    };
    ProposalApply: {
      /** @description Which fields; all that wait if left out. */
      fields?: string[];
      /** @description Why. Refusing needs one. */
      reason?: string;
      /** @description By field, what is to stand there in place of what was proposed. */
      values?: {
        [key: string]: unknown;
      };
      /** @description The version of the record that you saw: what others changed up to it is no conflict. */
      base?: number;
    };
    ProposalRefuse: {
      /** @description Which fields; all that wait if left out. */
      fields?: string[];
      /** @description Why. Refusing needs one. */
      reason: string;
    };
    ProposalWithdraw: {
      /** @description Which fields; all that wait if left out. */
      fields?: string[];
      /** @description Why. Refusing needs one. */
      reason?: string;
    };
    ProposalsApply: {
      proposals: number[];
      reason?: string;
    };
    ProposalsRefuse: {
      proposals: number[];
      reason: string;
    };
    ProposalsSettled: {
      items: {
        number: number;
        /** @description What has become of it; null if refused. */
        state: string | null;
        /** @description Why nothing did. */
        problem: components["schemas"]["Problem"] | null;
      }[];
    };
    BatchCreate: {
      /** @enum {string} */
      action: "create";
      collection: string;
      fields: {
        [key: string]: unknown;
      };
      /** @description A name for what is created, for later items. */
      as?: string;
      reason?: string;
    };
    BatchUpdate: {
      /** @enum {string} */
      action: "update";
      collection: string;
      /** @description A key, or {"created": NAME} of an earlier item. */
      key:
        | string
        | number
        | {
            created: string;
          };
      fields?: {
        [key: string]: unknown;
      };
      patch?: components["schemas"]["JsonPatch"];
      edits?: {
        [key: string]: unknown;
      }[];
      clear?: string[];
      /** @description Entity tags, one of which must be the record's. */
      if_match?: string | string[];
      base?: string | number;
      reason?: string;
    };
    BatchDelete: {
      /** @enum {string} */
      action: "delete";
      collection: string;
      /** @description A key, or {"created": NAME} of an earlier item. */
      key:
        | string
        | number
        | {
            created: string;
          };
      /** @description Entity tags, one of which must be the record's. */
      if_match?: string | string[];
      reason?: string;
    };
    /** @description Creates the record whose unique field holds the value, or replaces it. */
    BatchPut: {
      /** @enum {string} */
      action: "put";
      collection: string;
      /** @description The name of a unique field. */
      by: string;
      /** @description A key, or {"created": NAME} of an earlier item. */
      value:
        | string
        | number
        | {
            created: string;
          };
      fields: {
        [key: string]: unknown;
      };
      /** @description Entity tags, one of which must be the record's. */
      if_match?: string | string[];
      /** @description Entity tags, one of which must be the record's. */
      if_none_match?: string | string[];
      /** @description A name for what is saved, for later items. */
      as?: string;
      reason?: string;
    };
    /** @description All or nothing, unless `atomic` is false: then each on its own. */
    Batch: {
      items: (
        | components["schemas"]["BatchCreate"]
        | components["schemas"]["BatchUpdate"]
        | components["schemas"]["BatchDelete"]
        | components["schemas"]["BatchPut"]
      )[];
      atomic?: boolean;
    };
    /** @description What became of an item: the record, or what was wrong. 424: not done, since another item was refused. */
    BatchResult: {
      status: number;
      etag?: string;
      record?: {
        [key: string]: unknown;
      };
      type?: string;
      title?: string;
      detail?: string;
      /** @description Where the feed begins, with 410. */
      after?: string;
      /** @description The record's version. */
      version?: number;
      /** @description The setting that was passed, with 413. */
      limit?: string;
      /** @description Its value. */
      most?: number;
      /** @description Of an expression, the line where it goes wrong. */
      line?: number;
      /** @description The place in that line, from 1. */
      column?: number;
      /** @description That line, with a caret under the place. */
      shown?: string;
      conflicts?: components["schemas"]["FieldConflict"][];
      /** @description Records that refer to the one to be deleted. */
      count?: number;
      referring?: components["schemas"]["Referring"][];
      /** @description Of a JSON Patch, the one that cannot be done. */
      operation?: number;
      errors?: components["schemas"]["FieldError"][];
    };
    BatchResults: {
      done: boolean;
      batch: string | null;
      results: components["schemas"]["BatchResult"][];
    };
    /** Edits of one record */
    Edits: {
      edits: ({
        /**
         * Format: json-pointer
         * @description The field, or a place inside an object.
         */
        at: string;
        /** @description Conditions on the record as stored, before any edit. */
        only_if?:
          | {
              one_of?: unknown[];
              at_least?: number;
              at_most?: number;
              is_null?: boolean;
            }
          | string;
        set?: unknown;
        /** @constant */
        clear?: true;
        increase_by?: number;
        append?: string;
        include?: unknown[];
        exclude?: unknown[];
      } & (unknown | unknown | unknown | unknown | unknown | unknown))[];
    };
    /**
     * Record
     * @description Records
     */
    Record: {
      /**
       * Id
       * Format: uuid
       */
      readonly id: string;
      /** Version */
      readonly version: number;
      /**
       * Created at
       * Format: date-time
       */
      readonly created_at: string;
      /** Created by */
      readonly created_by: string;
      /**
       * Updated at
       * Format: date-time
       */
      readonly updated_at: string;
      /** Updated by */
      readonly updated_by: string;
    } & {
      [key: string]: unknown;
    };
    RecordNew: {
      [key: string]: unknown;
    };
    RecordPatch: {
      [key: string]: unknown;
    };
    RecordPage: {
      items: components["schemas"]["Record"][];
      next: string | null;
      count?: number;
      labels?: components["schemas"]["Labels"];
      included?: components["schemas"]["Included"];
      /** @description For each of the items, the fields that this caller may change. */
      writable?: string[][];
    };
    /** @description All an edit form needs; `version` and `etag` are null for what is yet to be created. */
    RecordForm: {
      values: {
        [key: string]: unknown;
      };
      version: number | null;
      etag: string | null;
      schema: {
        [key: string]: unknown;
      };
      choices: {
        [key: string]: components["schemas"]["Choices"];
      };
      writable: string[];
      deletable: boolean;
      erasable: string[];
    };
    /** @description What a change would do, had it been saved. */
    RecordPreview: {
      preview: boolean;
      version: number;
      changes: {
        [key: string]: components["schemas"]["Change"];
      };
      record: {
        [key: string]: unknown;
      };
      errors: components["schemas"]["FieldError"][];
      ignored: string[];
      consequences: components["schemas"]["Consequence"][];
      /** @description How many follow besides, or are not the caller's to see. */
      unseen: number;
    };
  };
  responses: {
    /** @description Not signed in. Send a valid token as Authorization: Bearer TOKEN. */
    "not-signed-in": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Not found. Check the address; what you may not see is also not found. */
    "not-found": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Not permitted. Ask the record's owner, or somebody whose role allows it. */
    "not-permitted": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Moved to an archive. Read the list again, and follow from where after says. */
    archived: {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description The record has changed. Read the record again and decide anew. */
    "version-mismatch": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Say which version you saw. Send If-Match with the ETag you were given. */
    "version-required": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Body of another type. Send one of the types named in Accept-Patch. */
    "unsupported-media": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Too large. Send less; limit names the setting that was passed. */
    "too-large": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description The request cannot be read. Correct the request as the detail says. */
    malformed: {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description In conflict with other records. Resolve what the detail names, then send again. */
    conflict: {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Conflict"];
      };
    };
    /** @description The body came too slowly. Send it again, over a better connection. */
    "body-timeout": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Not valid. Correct each field named under errors. */
    invalid: {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Invalid"];
      };
    };
    /** @description Idempotency-Key used before. Use a new key for each change. */
    "key-reused": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Invalid"];
      };
    };
    /** @description Too much work. Ask for less at a time; limit names the setting that was passed. */
    "too-costly": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Invalid"];
      };
    };
    /** @description Too many requests. Wait as Retry-After says, then send again. */
    "too-many": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Not possible at the moment. Wait as Retry-After says, then send again. */
    unavailable: {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description No room left. Make room on the disk, then send again. */
    "storage-full": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description Method not allowed. Use one of the methods named in Allow. */
    "method-not-allowed": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description A rule of the project failed. Report it with the request id: the service's log tells more. Nothing was saved. */
    "rule-failed": {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
    /** @description An error of the service. Report it with the request id, and read the record to see whether it was saved. */
    internal: {
      headers: {
        [name: string]: unknown;
      };
      content: {
        "application/problem+json": components["schemas"]["Problem"];
      };
    };
  };
  parameters: {
    /** @description A condition over the fields, such as `status == "open" && pumps > 2`. */
    where: string;
    /** @description Words that must all be found. */
    q: string;
    /** @description Fields by comma; a - before one sorts it descending. */
    sort: string;
    /** @description Fields by comma: records then hold these alone, and not all that is required. */
    fields: string;
    /** @description References by comma, such as `station.watercourse`, to answer with theirs. */
    include: string;
    /** @description How many to answer with at most. */
    limit: number;
    /** @description The `next` of the page before. */
    cursor: string;
    /** @description In place of cursor: the page by its number, as far as record 10,000. */
    page: number;
    /** @description Whether to count all that match. */
    count: boolean;
    /** @description Whether to tell what references and owners stand for. */
    labels: boolean;
    /** @description Whether each row tells the same beside the value: as station.label beside station. */
    row_labels: boolean;
    /** @description Whether to tell which fields of each record this caller may change. */
    writable: boolean;
    /** @description ignore: a field that is filtered by a blank is not filtered by. */
    blank_filters: "keep" | "ignore";
    /** @description As it was at this time. */
    at: string;
    /** @description Only if it has another (RFC 9110). */
    "If-None-Match": string;
    /** @description What a blank means for every field. */
    blank: "store" | "keep" | "clear" | "reject";
    /** @description Texts in the body are read by their fields' types, as those of a form are. */
    coerce: "text";
    /** @description Why; kept in the history. */
    reason: string;
    /** @description Carried out once, however often it is sent. */
    "Idempotency-Key": string;
    /** @description A name the client keeps: its own changes are not others'. */
    "Fenland-Client": string;
    /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
    Prefer: string;
    /** @description The same as Prefer: handling=lenient. */
    lenient: boolean;
    /** @description minimal is the same as Prefer: return=minimal. */
    return: "minimal" | "representation";
    /** @description The ETag or version you saw; 409 where others changed the same. */
    base: string;
    /** @description Fields to empty, by comma, whatever a blank means there. */
    clear: string;
    /** @description References by comma: the answer is then an object of `record` and `included`. */
    include_beside: string;
    /** @description As it was at this version. */
    version: number;
    /** @description Only if the record has this ETag (RFC 9110). */
    "If-Match": string;
    /** @description Whether to save nothing, and answer as the preview does. */
    preview_only: boolean;
    /** @description Whether only to tell what it would do. */
    preview: boolean;
    /** @description That of another account, for who manages accounts. */
    account: string;
    /** @description How many records there must be; refused where it is another. */
    expect: number;
    /** @description All or nothing, unless false: then each on its own. */
    atomic: boolean;
    /** @description New records alone, those that are there, or both. */
    mode: "create" | "update" | "both";
    /** @description The unique field that says which record a row is of. */
    match_by: string;
    /** @description A JSON object: by column, the field it stands for, or null. */
    map: string;
    /** @description What an empty cell means; keep if left out. */
    blank_cells: "store" | "keep" | "clear" | "reject";
    /** @description All or nothing; otherwise each row is on its own. */
    atomic_rows: boolean;
    /** @description Of an earlier portion: both are one import. */
    portion: string;
    /** @description What the file is; CSV if left out. */
    as: "csv" | "jsonl" | "xlsx";
    /** @description Only what is below this; as `next` says. */
    below: number;
    /** @description Only entries that changed this field. */
    field: string;
    /** @description Only entries by, or on behalf of, this account. */
    of_actor: string;
    /** @description The older version. */
    older_version: number;
    /** @description The newer one; the newest if left out. */
    newer_version: number;
    /** @description Only entries whose collection is this. */
    entry_collection: string;
    /** @description Only entries whose id is this. */
    entry_id: string;
    /** @description Only entries whose key is this. */
    entry_key: string;
    /** @description Only entries whose action is this. */
    entry_action: string;
    /** @description Only entries whose actor is this. */
    entry_actor: string;
    /** @description Only entries whose via is this. */
    entry_via: string;
    /** @description Only entries whose request_id is this. */
    entry_request_id: string;
    /** @description Only entries whose batch is this. */
    entry_batch: string;
    /** @description Only entries whose reason holds this. */
    reason_holds: string;
    /** @description Not before this time. */
    from: string;
    /** @description Not after this time. */
    to: string;
    /** @description Of a file, only entries after this sequence. */
    after: number;
    /** @description What to count by. */
    count_by: "collection" | "actor";
    /** @description Only of this collection. */
    of_collection: string;
    /** @description The collection whose passes. */
    passes_of: string;
    /** @description Only those of this template. */
    pass_template: string;
    /** @description Only those for the record with this key. */
    pass_key: string;
    /** @description Only those of this letter run. */
    pass_run: string;
    /** @description Only those that came in by passes of this one. */
    proposals_of: string;
    /** @description Only those that came in by passes for the record with this key. */
    proposal_key: string;
    /** @description Only those in this state. */
    proposal_state: "waiting" | "applied" | "partly" | "refused" | "withdrawn" | "overtaken";
    /** @description Only those that came in by this pass. */
    of_pass: number;
    /** @description Only what comes behind this number; as `next` says. */
    after_proposal: number;
    /** @description Whether the last that came in stand first. */
    newest: boolean;
    /** @description The id of the last event that one has; left out, the feed begins now. */
    feed_after: string;
    /** @description Only this collection. */
    followed: string;
    /** @description What stands beside each event: nothing, the fields that changed, or the record as it is now. */
    event_data: "none" | "changes" | "record";
    /** @description Where there is nothing yet, wait for so many seconds, at most. */
    feed_wait: number;
    /** @description Of a stream that is asked for again: the id of the last event that came. It counts more than after. */
    "Last-Event-ID": string;
    /** @description Answered once there are more entries than this. */
    above: number;
    /** @description Wait for that for so many seconds, at most. */
    wait: number;
    /** @description The size of the older head. */
    older_size: number;
    /** @description That of the newer one; the newest if left out. */
    newer_size: number;
    /** @description The size of the head to prove it under. */
    size: number;
    /** @description Ask for all a form to create needs. */
    for: "create";
    /** @description Only those after this number. */
    after_request: number;
    /** @description In order, and only what is behind this; as `next` says. */
    after_notice: number;
    /** @description Only those in this state. */
    delivery_state: "waiting" | "sent" | "parked" | "void";
    /** @description The version of OpenAPI. */
    openapi: "3.0" | "3.1";
    /** @description Whether what is referred to stands in the place of each reference. */
    flat: boolean;
  };
  requestBodies: never;
  headers: never;
  pathItems: never;
}
export type $defs = Record<string, never>;
export interface operations {
  listRecord: {
    parameters: {
      query?: {
        /** @description A condition over the fields, such as `status == "open" && pumps > 2`. */
        where?: components["parameters"]["where"];
        /** @description Words that must all be found. */
        q?: components["parameters"]["q"];
        /** @description Fields by comma; a - before one sorts it descending. */
        sort?: components["parameters"]["sort"];
        /** @description Fields by comma: records then hold these alone, and not all that is required. */
        fields?: components["parameters"]["fields"];
        /** @description References by comma, such as `station.watercourse`, to answer with theirs. */
        include?: components["parameters"]["include"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
        /** @description The `next` of the page before. */
        cursor?: components["parameters"]["cursor"];
        /** @description In place of cursor: the page by its number, as far as record 10,000. */
        page?: components["parameters"]["page"];
        /** @description Whether to count all that match. */
        count?: components["parameters"]["count"];
        /** @description Whether to tell what references and owners stand for. */
        labels?: components["parameters"]["labels"];
        /** @description Whether each row tells the same beside the value: as station.label beside station. */
        row_labels?: components["parameters"]["row_labels"];
        /** @description Whether to tell which fields of each record this caller may change. */
        writable?: components["parameters"]["writable"];
        /** @description ignore: a field that is filtered by a blank is not filtered by. */
        blank_filters?: components["parameters"]["blank_filters"];
        /** @description As it was at this time. */
        at?: components["parameters"]["at"];
        /** @description A value it has; repeated: any of them. */
        id?: string[];
        /** @description A value it has; repeated: any of them. */
        version?: number[];
        /** @description A value it has; repeated: any of them. */
        created_at?: string[];
        /** @description A value it has; repeated: any of them. */
        created_by?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_at?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_by?: string[];
        /** @description A value it has; repeated: any of them. */
        any?: string[];
        /** @description The least it may be; of a moment also a day, in UTC. */
        "version.from"?: number;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "version.to"?: number;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "created_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "created_at.to"?: string;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "updated_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "updated_at.to"?: string;
      };
      header?: {
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
      };
      path: {
        collection: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          Link?: string;
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["RecordPage"];
        };
      };
      /** @description Nothing in it has moved since the client was given this ETag. */
      304: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  createRecord: {
    parameters: {
      query?: {
        /** @description What a blank means for every field. */
        blank?: components["parameters"]["blank"];
        /** @description Texts in the body are read by their fields' types, as those of a form are. */
        coerce?: components["parameters"]["coerce"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        /** @example {} */
        "application/json": components["schemas"]["RecordNew"];
        "application/x-www-form-urlencoded": {
          [key: string]: unknown;
        };
        "multipart/form-data": {
          [key: string]: unknown;
        };
      };
    };
    responses: {
      /** @description The record as created. */
      201: {
        headers: {
          ETag?: string;
          Location?: string;
          "Preference-Applied"?: string;
          "Fenland-Ignored"?: string;
          "Fenland-Repeated"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  deleteManyRecord: {
    parameters: {
      query?: {
        /** @description A condition over the fields, such as `status == "open" && pumps > 2`. */
        where?: components["parameters"]["where"];
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description How many records there must be; refused where it is another. */
        expect?: components["parameters"]["expect"];
        /** @description All or nothing, unless false: then each on its own. */
        atomic?: components["parameters"]["atomic"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
        /** @description A value it has; repeated: any of them. */
        id?: string[];
        /** @description A value it has; repeated: any of them. */
        version?: number[];
        /** @description A value it has; repeated: any of them. */
        created_at?: string[];
        /** @description A value it has; repeated: any of them. */
        created_by?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_at?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_by?: string[];
        /** @description A value it has; repeated: any of them. */
        any?: string[];
        /** @description The least it may be; of a moment also a day, in UTC. */
        "version.from"?: number;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "version.to"?: number;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "created_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "created_at.to"?: string;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "updated_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "updated_at.to"?: string;
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Done, or what a preview found. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Many"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      /** @description Nothing was done: some were refused. */
      422: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Many"];
          "application/problem+json": components["schemas"]["Invalid"];
        };
      };
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  updateManyRecord: {
    parameters: {
      query?: {
        /** @description A condition over the fields, such as `status == "open" && pumps > 2`. */
        where?: components["parameters"]["where"];
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description How many records there must be; refused where it is another. */
        expect?: components["parameters"]["expect"];
        /** @description All or nothing, unless false: then each on its own. */
        atomic?: components["parameters"]["atomic"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
        /** @description What a blank means for every field. */
        blank?: components["parameters"]["blank"];
        /** @description Fields to empty, by comma, whatever a blank means there. */
        clear?: components["parameters"]["clear"];
        /** @description Texts in the body are read by their fields' types, as those of a form are. */
        coerce?: components["parameters"]["coerce"];
        /** @description A value it has; repeated: any of them. */
        id?: string[];
        /** @description A value it has; repeated: any of them. */
        version?: number[];
        /** @description A value it has; repeated: any of them. */
        created_at?: string[];
        /** @description A value it has; repeated: any of them. */
        created_by?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_at?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_by?: string[];
        /** @description A value it has; repeated: any of them. */
        any?: string[];
        /** @description The least it may be; of a moment also a day, in UTC. */
        "version.from"?: number;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "version.to"?: number;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "created_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "created_at.to"?: string;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "updated_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "updated_at.to"?: string;
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        /** @example {} */
        "application/merge-patch+json": components["schemas"]["RecordPatch"];
        /** @example {} */
        "application/json": components["schemas"]["RecordPatch"];
        "application/json-patch+json": string;
        /**
         * @example {
         *       "edits": []
         *     }
         */
        "application/vnd.fenland.edits+json": components["schemas"]["Edits"];
        "application/x-www-form-urlencoded": {
          [key: string]: unknown;
        };
        "multipart/form-data": {
          [key: string]: unknown;
        };
      };
    };
    responses: {
      /** @description Done, or what a preview found. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Many"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      /** @description Nothing was done: some were refused. */
      422: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Many"];
          "application/problem+json": components["schemas"]["Invalid"];
        };
      };
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  saveRecord: {
    parameters: {
      query?: {
        /** @description The ETag or version you saw; 409 where others changed the same. */
        base?: components["parameters"]["base"];
        /** @description Fields to empty, by comma, whatever a blank means there. */
        clear?: components["parameters"]["clear"];
        /** @description What a blank means for every field. */
        blank?: components["parameters"]["blank"];
        /** @description Texts in the body are read by their fields' types, as those of a form are. */
        coerce?: components["parameters"]["coerce"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        /**
         * @example {
         *       "id": ""
         *     }
         */
        "application/json": {
          [key: string]: unknown;
        };
        "application/x-www-form-urlencoded": {
          [key: string]: unknown;
        };
        "multipart/form-data": {
          [key: string]: unknown;
        };
      };
    };
    responses: {
      /** @description The record as saved. */
      200: {
        headers: {
          ETag?: string;
          "Preference-Applied"?: string;
          "Fenland-Ignored"?: string;
          "Fenland-Repeated"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      /** @description The record as created. */
      201: {
        headers: {
          ETag?: string;
          Location?: string;
          "Preference-Applied"?: string;
          "Fenland-Ignored"?: string;
          "Fenland-Repeated"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      /** @description Saved; return=minimal was preferred, or its caller may not read it any more. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      428: components["responses"]["version-required"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readRecord: {
    parameters: {
      query?: {
        /** @description Fields by comma: records then hold these alone, and not all that is required. */
        fields?: components["parameters"]["fields"];
        /** @description References by comma: the answer is then an object of `record` and `included`. */
        include?: components["parameters"]["include_beside"];
        /** @description As it was at this version. */
        version?: components["parameters"]["version"];
        /** @description As it was at this time. */
        at?: components["parameters"]["at"];
      };
      header?: {
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The record; beside it what it refers to, if asked for. */
      200: {
        headers: {
          ETag?: string;
          "Accept-Patch"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      /** @description The client has this version. */
      304: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  replaceRecord: {
    parameters: {
      query?: {
        /** @description The ETag or version you saw; 409 where others changed the same. */
        base?: components["parameters"]["base"];
        /** @description Fields to empty, by comma, whatever a blank means there. */
        clear?: components["parameters"]["clear"];
        /** @description Whether to save nothing, and answer as the preview does. */
        preview?: components["parameters"]["preview_only"];
        /** @description What a blank means for every field. */
        blank?: components["parameters"]["blank"];
        /** @description Texts in the body are read by their fields' types, as those of a form are. */
        coerce?: components["parameters"]["coerce"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["RecordPatch"];
        "application/x-www-form-urlencoded": {
          [key: string]: unknown;
        };
        "multipart/form-data": {
          [key: string]: unknown;
        };
      };
    };
    responses: {
      /** @description The record as saved. */
      200: {
        headers: {
          ETag?: string;
          "Preference-Applied"?: string;
          "Fenland-Ignored"?: string;
          "Fenland-Repeated"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      /** @description Saved; return=minimal was preferred, or its caller may not read it any more. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      428: components["responses"]["version-required"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  deleteRecord: {
    parameters: {
      query?: {
        /** @description The ETag or version you saw; 409 where others changed the same. */
        base?: components["parameters"]["base"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The last copy. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      /** @description Deleted; return=minimal was preferred. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      422: components["responses"]["invalid"];
      428: components["responses"]["version-required"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  updateRecord: {
    parameters: {
      query?: {
        /** @description The ETag or version you saw; 409 where others changed the same. */
        base?: components["parameters"]["base"];
        /** @description Fields to empty, by comma, whatever a blank means there. */
        clear?: components["parameters"]["clear"];
        /** @description Whether to save nothing, and answer as the preview does. */
        preview?: components["parameters"]["preview_only"];
        /** @description What a blank means for every field. */
        blank?: components["parameters"]["blank"];
        /** @description Texts in the body are read by their fields' types, as those of a form are. */
        coerce?: components["parameters"]["coerce"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        /** @example {} */
        "application/merge-patch+json": components["schemas"]["RecordPatch"];
        /** @example {} */
        "application/json": components["schemas"]["RecordPatch"];
        "application/json-patch+json": string;
        /**
         * @example {
         *       "edits": []
         *     }
         */
        "application/vnd.fenland.edits+json": components["schemas"]["Edits"];
        "application/x-www-form-urlencoded": {
          [key: string]: unknown;
        };
        "multipart/form-data": {
          [key: string]: unknown;
        };
      };
    };
    responses: {
      /** @description The record as saved. */
      200: {
        headers: {
          ETag?: string;
          "Preference-Applied"?: string;
          "Fenland-Ignored"?: string;
          "Fenland-Repeated"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      /** @description Saved; return=minimal was preferred, or its caller may not read it any more. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      428: components["responses"]["version-required"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  previewRecord: {
    parameters: {
      query?: {
        /** @description The ETag or version you saw; 409 where others changed the same. */
        base?: components["parameters"]["base"];
        /** @description Fields to empty, by comma, whatever a blank means there. */
        clear?: components["parameters"]["clear"];
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description What a blank means for every field. */
        blank?: components["parameters"]["blank"];
        /** @description Texts in the body are read by their fields' types, as those of a form are. */
        coerce?: components["parameters"]["coerce"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        /** @example {} */
        "application/merge-patch+json": components["schemas"]["RecordPatch"];
        /** @example {} */
        "application/json": components["schemas"]["RecordPatch"];
        "application/json-patch+json": string;
        /**
         * @example {
         *       "edits": []
         *     }
         */
        "application/vnd.fenland.edits+json": components["schemas"]["Edits"];
        "application/x-www-form-urlencoded": {
          [key: string]: unknown;
        };
        "multipart/form-data": {
          [key: string]: unknown;
        };
      };
    };
    responses: {
      /** @description What would change, and what is wrong. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["RecordPreview"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      428: components["responses"]["version-required"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  accessRecord: {
    parameters: {
      query?: {
        /** @description That of another account, for who manages accounts. */
        account?: components["parameters"]["account"];
      };
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Rights and fields. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Access"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  formRecord: {
    parameters: {
      query?: {
        /** @description As it was at this version. */
        version?: components["parameters"]["version"];
        /** @description As it was at this time. */
        at?: components["parameters"]["at"];
      };
      header?: {
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The form. */
      200: {
        headers: {
          ETag?: string;
          "Accept-Patch"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["RecordForm"];
        };
      };
      /** @description Nothing in it has moved since the client was given this ETag. */
      304: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  importRecord: {
    parameters: {
      query?: {
        /** @description New records alone, those that are there, or both. */
        mode?: components["parameters"]["mode"];
        /** @description The unique field that says which record a row is of. */
        by?: components["parameters"]["match_by"];
        /** @description A JSON object: by column, the field it stands for, or null. */
        map?: components["parameters"]["map"];
        /** @description What an empty cell means; keep if left out. */
        blank?: components["parameters"]["blank_cells"];
        /** @description All or nothing; otherwise each row is on its own. */
        atomic?: components["parameters"]["atomic_rows"];
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description Of an earlier portion: both are one import. */
        batch?: components["parameters"]["portion"];
        /** @description What the file is; CSV if left out. */
        as?: components["parameters"]["as"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
      };
      path: {
        collection: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/octet-stream": string;
      };
    };
    responses: {
      /** @description What became of the rows; refused ones are told under problems. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Imported"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      /** @description All or nothing, and nothing was kept: rows were refused. */
      422: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Imported"];
        };
      };
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  exportRecord: {
    parameters: {
      query?: {
        /** @description What the file is; CSV if left out. */
        as?: components["parameters"]["as"];
        /** @description A condition over the fields, such as `status == "open" && pumps > 2`. */
        where?: components["parameters"]["where"];
        /** @description Words that must all be found. */
        q?: components["parameters"]["q"];
        /** @description Fields by comma; a - before one sorts it descending. */
        sort?: components["parameters"]["sort"];
        /** @description Fields by comma: records then hold these alone, and not all that is required. */
        fields?: components["parameters"]["fields"];
        /** @description ignore: a field that is filtered by a blank is not filtered by. */
        blank_filters?: components["parameters"]["blank_filters"];
        /** @description A value it has; repeated: any of them. */
        id?: string[];
        /** @description A value it has; repeated: any of them. */
        version?: number[];
        /** @description A value it has; repeated: any of them. */
        created_at?: string[];
        /** @description A value it has; repeated: any of them. */
        created_by?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_at?: string[];
        /** @description A value it has; repeated: any of them. */
        updated_by?: string[];
        /** @description A value it has; repeated: any of them. */
        any?: string[];
        /** @description The least it may be; of a moment also a day, in UTC. */
        "version.from"?: number;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "version.to"?: number;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "created_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "created_at.to"?: string;
        /** @description The least it may be; of a moment also a day, in UTC. */
        "updated_at.from"?: string;
        /** @description The most it may be; of a moment also a day, in UTC, of which all counts. */
        "updated_at.to"?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The file. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "text/csv": string;
          "application/jsonl": string;
          "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet": string;
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  historyRecord: {
    parameters: {
      query?: {
        /** @description Only what is below this; as `next` says. */
        below?: components["parameters"]["below"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
        /** @description Only entries that changed this field. */
        field?: components["parameters"]["field"];
        /** @description Only entries by, or on behalf of, this account. */
        actor?: components["parameters"]["of_actor"];
      };
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page of entries. */
      200: {
        headers: {
          Link?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["History"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  differenceRecord: {
    parameters: {
      query: {
        /** @description The older version. */
        from: components["parameters"]["older_version"];
        /** @description The newer one; the newest if left out. */
        to?: components["parameters"]["newer_version"];
      };
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description What differs. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Difference"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  restoreRecord: {
    parameters: {
      query?: {
        /** @description As it was at this version. */
        version?: components["parameters"]["version"];
        /** @description As it was at this time. */
        at?: components["parameters"]["at"];
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description The ETag or version you saw; 409 where others changed the same. */
        base?: components["parameters"]["base"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The record as saved, or what a preview found. */
      200: {
        headers: {
          ETag?: string;
          "Preference-Applied"?: string;
          "Fenland-Ignored"?: string;
          "Fenland-Repeated"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"] | components["schemas"]["RecordPreview"];
        };
      };
      /** @description Done; return=minimal was preferred. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      422: components["responses"]["invalid"];
      428: components["responses"]["version-required"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  eraseRecord: {
    parameters: {
      query?: {
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
        /** @description The same as Prefer: handling=lenient. */
        lenient?: components["parameters"]["lenient"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
        /** @description Only if it has another (RFC 9110). */
        "If-None-Match"?: components["parameters"]["If-None-Match"];
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": {
          fields: string[];
          reason?: string;
          values?: {
            [key: string]: unknown;
          };
        };
      };
    };
    responses: {
      /** @description The record as saved. */
      200: {
        headers: {
          ETag?: string;
          /** @description Files that hold the values still, as a list of strings (RFC 9651): copies that migrations made, and backups of the schedule. Left out where there are none. */
          "Fenland-Copies"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Record"];
        };
      };
      /** @description Done; return=minimal was preferred. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      422: components["responses"]["invalid"];
      428: components["responses"]["version-required"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  meetRecord: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": {
          /** @description A name for one open page. */
          window: string;
          /**
           * @description gone: who has closed it, or only wants to know.
           * @enum {unknown}
           */
          doing: "reading" | "editing" | "gone";
        };
      };
    };
    responses: {
      /** @description Those who are there and may read it; not oneself. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            items: {
              account: string;
              title: string;
              editing: boolean;
            }[];
            /** @description For how long one is there who says so; say it again before. */
            seconds: number;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  batch: {
    parameters: {
      query?: {
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description minimal is the same as Prefer: return=minimal. */
        return?: components["parameters"]["return"];
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
        /** @description return=minimal, handling=lenient (RFC 7240), by comma. */
        Prefer?: components["parameters"]["Prefer"];
      };
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        /**
         * @example {
         *       "items": [
         *         {
         *           "action": "delete",
         *           "collection": "tickets",
         *           "key": "T-0001",
         *           "reason": "twice"
         *         }
         *       ]
         *     }
         */
        "application/json": components["schemas"]["Batch"];
      };
    };
    responses: {
      /** @description A result for each item. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["BatchResults"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      /** @description A broken all-or-nothing batch, with a result for each item; or a key used before. */
      422: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["BatchResults"];
          "application/problem+json": components["schemas"]["Problem"];
        };
      };
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  searchHistory: {
    parameters: {
      query?: {
        /** @description Only entries whose collection is this. */
        collection?: components["parameters"]["entry_collection"];
        /** @description Only entries whose id is this. */
        id?: components["parameters"]["entry_id"];
        /** @description Only entries whose key is this. */
        key?: components["parameters"]["entry_key"];
        /** @description Only entries whose action is this. */
        action?: components["parameters"]["entry_action"];
        /** @description Only entries whose actor is this. */
        actor?: components["parameters"]["entry_actor"];
        /** @description Only entries whose via is this. */
        via?: components["parameters"]["entry_via"];
        /** @description Only entries whose request_id is this. */
        request_id?: components["parameters"]["entry_request_id"];
        /** @description Only entries whose batch is this. */
        batch?: components["parameters"]["entry_batch"];
        /** @description Only entries that changed this field. */
        field?: components["parameters"]["field"];
        /** @description Only entries whose reason holds this. */
        reason?: components["parameters"]["reason_holds"];
        /** @description Not before this time. */
        from?: components["parameters"]["from"];
        /** @description Not after this time. */
        to?: components["parameters"]["to"];
        /** @description Only what is below this; as `next` says. */
        below?: components["parameters"]["below"];
        /** @description Of a file, only entries after this sequence. */
        after?: components["parameters"]["after"];
        /** @description A condition over the fields, such as `status == "open" && pumps > 2`. */
        where?: components["parameters"]["where"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page of entries, newest first; or all of them as a file. */
      200: {
        headers: {
          Link?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Entries"];
          "application/jsonl": string;
          "text/csv": string;
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readActivity: {
    parameters: {
      query?: {
        /** @description Not before this time. */
        from?: components["parameters"]["from"];
        /** @description Not after this time. */
        to?: components["parameters"]["to"];
        /** @description What to count by. */
        by?: components["parameters"]["count_by"];
        /** @description Only of this collection. */
        collection?: components["parameters"]["of_collection"];
        /** @description Only entries by, or on behalf of, this account. */
        actor?: components["parameters"]["of_actor"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Counts. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Activity"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  undoMany: {
    parameters: {
      query?: {
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
      };
      path?: never;
      cookie?: never;
    };
    requestBody?: {
      content: {
        "application/json": {
          batch?: string;
          actor?: string;
          /**
           * @example 2031-04-09T12:00:00Z
           * @example 2031-04-09
           */
          from?: string;
          /**
           * @example 2031-04-09T12:00:00Z
           * @example 2031-04-09
           */
          to?: string;
          /** @description All or nothing, unless false. */
          atomic?: boolean;
          /** @description What rules did because of it goes back as well, unless false. */
          consequences?: boolean;
        };
      };
    };
    responses: {
      /** @description What became of each save, or would become of it. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Undoing"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      /** @description Something stands in the way, and nothing was done: each item says what. */
      409: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Undoing"];
          "application/problem+json": components["schemas"]["Conflict"];
        };
      };
      413: components["responses"]["too-large"];
      422: components["responses"]["key-reused"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readEntry: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The number of the entry. */
        sequence: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The entry. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Entry"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  undo: {
    parameters: {
      query?: {
        /** @description Whether only to tell what it would do. */
        preview?: components["parameters"]["preview"];
        /** @description Why; kept in the history. */
        reason?: components["parameters"]["reason"];
      };
      header?: {
        /** @description Carried out once, however often it is sent. */
        "Idempotency-Key"?: components["parameters"]["Idempotency-Key"];
        /** @description A name the client keeps: its own changes are not others'. */
        "Fenland-Client"?: components["parameters"]["Fenland-Client"];
      };
      path: {
        /** @description The number of the entry. */
        sequence: number;
      };
      cookie?: never;
    };
    requestBody?: {
      content: {
        "application/json": {
          /** @description All or nothing, unless false. */
          atomic?: boolean;
          /** @description What rules did because of it goes back as well, unless false. */
          consequences?: boolean;
        };
      };
    };
    responses: {
      /** @description What became of each save, or would become of it. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Undoing"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      /** @description Something stands in the way, and nothing was done: each item says what. */
      409: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Undoing"];
          "application/problem+json": components["schemas"]["Conflict"];
        };
      };
      413: components["responses"]["too-large"];
      422: components["responses"]["key-reused"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  listPasses: {
    parameters: {
      query: {
        /** @description The collection whose passes. */
        collection: components["parameters"]["passes_of"];
        /** @description Only those of this template. */
        template?: components["parameters"]["pass_template"];
        /** @description Only those for the record with this key. */
        key?: components["parameters"]["pass_key"];
        /** @description Only those of this letter run. */
        run?: components["parameters"]["pass_run"];
        /** @description Only what is below this; as `next` says. */
        below?: components["parameters"]["below"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Those that the caller may hand out. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Passes"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  makePass: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["PassNew"];
      };
    };
    responses: {
      /** @description The pass, with its link. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["PassIssued"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  revokePasses: {
    parameters: {
      query: {
        /** @description The collection whose passes. */
        collection: components["parameters"]["passes_of"];
        /** @description Only those of this template. */
        template?: components["parameters"]["pass_template"];
        /** @description Only those of this letter run. */
        run?: components["parameters"]["pass_run"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description How many. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            /** @description How many were good until then. */
            revoked: number;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  writeLetters: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["LetterRun"];
      };
    };
    responses: {
      /** @description A line for each: the pass, the key and name of the record, the link, until when it is good. */
      200: {
        headers: {
          "Fenland-Run"?: string;
          [name: string]: unknown;
        };
        content: {
          "text/csv": string;
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readPass: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The pass. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Pass"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  revokePass: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Done. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  renewPass: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": {
          /** @description For how many days it is good; as the template says if left out. */
          days?: number | null;
        };
      };
    };
    responses: {
      /** @description The pass, with its link. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["PassIssued"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  unlockPass: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The pass. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Pass"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  listProposals: {
    parameters: {
      query?: {
        /** @description Only those that came in by passes of this one. */
        collection?: components["parameters"]["proposals_of"];
        /** @description Only those that came in by passes for the record with this key. */
        key?: components["parameters"]["proposal_key"];
        /** @description Only those in this state. */
        state?: components["parameters"]["proposal_state"];
        /** @description Only those that came in by this pass. */
        pass?: components["parameters"]["of_pass"];
        /** @description Only what comes behind this number; as `next` says. */
        after?: components["parameters"]["after_proposal"];
        /** @description Whether the last that came in stand first. */
        newest?: components["parameters"]["newest"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Those that the caller may review. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Proposals"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  countProposals: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description By collection. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            waiting: {
              [key: string]: number;
            };
            /** @description How many that is. */
            all: number;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  applyProposals: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["ProposalsApply"];
      };
    };
    responses: {
      /** @description What has become of each. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["ProposalsSettled"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  refuseProposals: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["ProposalsRefuse"];
      };
    };
    responses: {
      /** @description What has become of each. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["ProposalsSettled"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  withdrawProposals: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["ProposalsApply"];
      };
    };
    responses: {
      /** @description What has become of each. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["ProposalsSettled"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readProposal: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The proposal. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["ProposalResult"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  applyProposal: {
    parameters: {
      query?: never;
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
      };
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["ProposalApply"];
      };
    };
    responses: {
      /** @description The proposal as it is then. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Proposal"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  refuseProposal: {
    parameters: {
      query?: never;
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
      };
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["ProposalRefuse"];
      };
    };
    responses: {
      /** @description The proposal as it is then. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Proposal"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  withdrawProposal: {
    parameters: {
      query?: never;
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
      };
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["ProposalWithdraw"];
      };
    };
    responses: {
      /** @description The proposal as it is then. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Proposal"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  listChanges: {
    parameters: {
      query?: {
        /** @description The id of the last event that one has; left out, the feed begins now. */
        after?: components["parameters"]["feed_after"];
        /** @description Only this collection. */
        collection?: components["parameters"]["followed"];
        /** @description A condition over the fields, such as `status == "open" && pumps > 2`. */
        where?: components["parameters"]["where"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
        /** @description What stands beside each event: nothing, the fields that changed, or the record as it is now. */
        data?: components["parameters"]["event_data"];
        /** @description Where there is nothing yet, wait for so many seconds, at most. */
        wait?: components["parameters"]["feed_wait"];
      };
      header?: {
        /** @description Of a stream that is asked for again: the id of the last event that came. It counts more than after. */
        "Last-Event-ID"?: components["parameters"]["Last-Event-ID"];
      };
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Events; Link with rel=next says where to go on. As a stream (HTML Standard, section 9.2) there is no end of them, and each is one message whose data is the event. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/cloudevents-batch+json": components["schemas"]["Events"];
          "text/event-stream": string;
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      410: components["responses"]["archived"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readHead: {
    parameters: {
      query?: {
        /** @description Answered once there are more entries than this. */
        above?: components["parameters"]["above"];
        /** @description Wait for that for so many seconds, at most. */
        wait?: components["parameters"]["wait"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The head. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Head"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  listHeads: {
    parameters: {
      query?: {
        /** @description Only what is below this; as `next` says. */
        below?: components["parameters"]["below"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page of heads. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Heads"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readKeys: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The keys. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["KeySet"];
        };
      };
      400: components["responses"]["malformed"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readConsistency: {
    parameters: {
      query: {
        /** @description The size of the older head. */
        from: components["parameters"]["older_size"];
        /** @description That of the newer one; the newest if left out. */
        to?: components["parameters"]["newer_size"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Hashes. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Consistency"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readProof: {
    parameters: {
      query?: {
        /** @description The size of the head to prove it under. */
        size?: components["parameters"]["size"];
      };
      header?: never;
      path: {
        /** @description The number of the entry. */
        sequence: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The proof. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Proof"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  proveRecord: {
    parameters: {
      query?: {
        /** @description Only what is below this; as `next` says. */
        below?: components["parameters"]["below"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page of proofs. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Proofs"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  evidenceRecord: {
    parameters: {
      query?: {
        /** @description The size of the head to prove it under. */
        size?: components["parameters"]["size"];
      };
      header?: never;
      path: {
        collection: string;
        /** @description The record's id. */
        key: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The file. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Evidence"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  listCollections: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The collections. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Collections"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readSchema: {
    parameters: {
      query?: {
        /** @description Ask for all a form to create needs. */
        for?: components["parameters"]["for"];
      };
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Its JSON Schema, or the form to create. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            [key: string]: unknown;
          };
          "application/schema+json": {
            [key: string]: unknown;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readRules: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Rights and fields, by role. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["AccessMatrix"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  listConsequences: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description What follows, one by one. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Consequences"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  listCalls: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The calls. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Calls"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  listChoices: {
    parameters: {
      query?: {
        /** @description Words that must all be found. */
        q?: components["parameters"]["q"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
        /** @description The `next` of the page before. */
        cursor?: components["parameters"]["cursor"];
      };
      header?: never;
      path: {
        /** @description The collection's name. */
        collection: string;
        /** @description The field's name. */
        field: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page of choices. */
      200: {
        headers: {
          Link?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["ChoicePage"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readMistakes: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description What is. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            /** @description Whether the service is begun anew when a file is saved. */
            watched: boolean;
            /** @description What is wrong, for people; empty while nothing is. */
            told: string;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readEditsSchema: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The schema. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/schema+json": {
            [key: string]: unknown;
          };
        };
      };
      400: components["responses"]["malformed"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readDefinitionsSchema: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The schema. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/schema+json": {
            [key: string]: unknown;
          };
        };
      };
      400: components["responses"]["malformed"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readSession: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Who is. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Session"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  beginSession: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["Credentials"];
      };
    };
    responses: {
      /** @description Who is signed in now. */
      201: {
        headers: {
          "Set-Cookie"?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Session"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  endSession: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Done. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  changePassword: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["PasswordChange"];
      };
    };
    responses: {
      /** @description Done. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  listTokens: {
    parameters: {
      query?: {
        /** @description That of another account, for who manages accounts. */
        account?: components["parameters"]["account"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Them. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Tokens"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  issueToken: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["TokenNew"];
      };
    };
    responses: {
      /** @description The token. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["TokenIssued"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  revokeToken: {
    parameters: {
      query?: {
        /** @description That of another account, for who manages accounts. */
        account?: components["parameters"]["account"];
      };
      header?: never;
      path: {
        /** @description The token's id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Done. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  listRequests: {
    parameters: {
      query?: {
        /** @description Only those after this number. */
        after?: components["parameters"]["after_request"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description They, and how the inspector is on. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            /**
             * Format: date-time
             * @description Until when requests are noted; null: they are not.
             */
            until: string | null;
            /** @description Whether those of the console, too. */
            console: boolean;
            items: {
              number: number;
              /**
               * Format: date-time
               * @description When it was answered.
               */
              time: string;
              /** @description From when it was read until its answer was made. */
              microseconds: number;
              method: string;
              /** @description … stands in it for a secret value. */
              path: string;
              /** @description The operation of this document. */
              operation: string;
              status: number;
              /** @description Of the answer's body, before it is compressed. */
              bytes?: number;
              /** @description Parameters that are known; … for values that are not kept. */
              query?: {
                [key: string]: string;
              };
              /** @description Those that say what a request means. */
              headers?: {
                [key: string]: string;
              };
              via: string;
              on_behalf_of?: string;
              request_id: string;
              /** @description Whether the kept outcome of an earlier request was the answer. */
              repeated?: boolean;
              problem?: {
                code?: string;
                title: string;
                detail?: string;
                errors?: {
                  pointer: string;
                  code: string;
                  detail: string;
                }[];
              };
              fields?: {
                field: string;
                /** @description The place within the record, where a patch names one. */
                at?: string;
                /** @description What was to be done there. */
                edit?: string;
                /** @description What was sent; of a long value, its beginning. */
                sent?: unknown;
                /** @description Whether the value is not kept: it is secret, or of no known field. */
                withheld?: boolean;
                /**
                 * @description set: It holds what was sent. cleared: It holds nothing any more. same: It held that already. left: It stays as it was: a blank says nothing here. ignored: It is not the sender's to set, and was left out as they asked. refused: It cannot be so; code and detail say why. not saved: Nothing is wrong with it, but the request was refused for something else. followed: It was not sent, and a default, a rule or what it is derived from gave it this.
                 * @enum {unknown}
                 */
                outcome?: "set" | "cleared" | "same" | "left" | "ignored" | "refused" | "not saved" | "followed";
                /** @description What the field holds, where that is not what was sent. */
                now?: unknown;
                code?: string;
                detail?: string;
              }[];
              /** @description Of a batch. */
              items?: {
                action?: string;
                collection?: string;
                /** @description Any JSON value. */
                key?: unknown;
                by?: string;
                status?: number;
                problem?: {
                  code?: string;
                  title: string;
                  detail?: string;
                  errors?: {
                    pointer: string;
                    code: string;
                    detail: string;
                  }[];
                };
                fields?: {
                  field: string;
                  /** @description The place within the record, where a patch names one. */
                  at?: string;
                  /** @description What was to be done there. */
                  edit?: string;
                  /** @description What was sent; of a long value, its beginning. */
                  sent?: unknown;
                  /** @description Whether the value is not kept: it is secret, or of no known field. */
                  withheld?: boolean;
                  /**
                   * @description set: It holds what was sent. cleared: It holds nothing any more. same: It held that already. left: It stays as it was: a blank says nothing here. ignored: It is not the sender's to set, and was left out as they asked. refused: It cannot be so; code and detail say why. not saved: Nothing is wrong with it, but the request was refused for something else. followed: It was not sent, and a default, a rule or what it is derived from gave it this.
                   * @enum {unknown}
                   */
                  outcome?: "set" | "cleared" | "same" | "left" | "ignored" | "refused" | "not saved" | "followed";
                  /** @description What the field holds, where that is not what was sent. */
                  now?: unknown;
                  code?: string;
                  detail?: string;
                }[];
              }[];
              /** @description Of many records, and of files. */
              counts?: {
                [key: string]: number;
              };
              /** @description Whether there was more than is kept. */
              left_out?: boolean;
            }[];
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  inspectRequests: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": {
          /** @description For how long, from now on. */
          minutes: number;
          /** @description Whether what the console asks is noted, too. Usually not. */
          console?: boolean;
        };
      };
    };
    responses: {
      /** @description How it is on now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            /**
             * Format: date-time
             * @description Until when requests are noted; null: they are not.
             */
            until: string | null;
            /** @description Whether those of the console, too. */
            console: boolean;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  forgetRequests: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Done. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readRequest: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description It. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            number: number;
            /**
             * Format: date-time
             * @description When it was answered.
             */
            time: string;
            /** @description From when it was read until its answer was made. */
            microseconds: number;
            method: string;
            /** @description … stands in it for a secret value. */
            path: string;
            /** @description The operation of this document. */
            operation: string;
            status: number;
            /** @description Of the answer's body, before it is compressed. */
            bytes?: number;
            /** @description Parameters that are known; … for values that are not kept. */
            query?: {
              [key: string]: string;
            };
            /** @description Those that say what a request means. */
            headers?: {
              [key: string]: string;
            };
            via: string;
            on_behalf_of?: string;
            request_id: string;
            /** @description Whether the kept outcome of an earlier request was the answer. */
            repeated?: boolean;
            problem?: {
              code?: string;
              title: string;
              detail?: string;
              errors?: {
                pointer: string;
                code: string;
                detail: string;
              }[];
            };
            fields?: {
              field: string;
              /** @description The place within the record, where a patch names one. */
              at?: string;
              /** @description What was to be done there. */
              edit?: string;
              /** @description What was sent; of a long value, its beginning. */
              sent?: unknown;
              /** @description Whether the value is not kept: it is secret, or of no known field. */
              withheld?: boolean;
              /**
               * @description set: It holds what was sent. cleared: It holds nothing any more. same: It held that already. left: It stays as it was: a blank says nothing here. ignored: It is not the sender's to set, and was left out as they asked. refused: It cannot be so; code and detail say why. not saved: Nothing is wrong with it, but the request was refused for something else. followed: It was not sent, and a default, a rule or what it is derived from gave it this.
               * @enum {unknown}
               */
              outcome?: "set" | "cleared" | "same" | "left" | "ignored" | "refused" | "not saved" | "followed";
              /** @description What the field holds, where that is not what was sent. */
              now?: unknown;
              code?: string;
              detail?: string;
            }[];
            /** @description Of a batch. */
            items?: {
              action?: string;
              collection?: string;
              /** @description Any JSON value. */
              key?: unknown;
              by?: string;
              status?: number;
              problem?: {
                code?: string;
                title: string;
                detail?: string;
                errors?: {
                  pointer: string;
                  code: string;
                  detail: string;
                }[];
              };
              fields?: {
                field: string;
                /** @description The place within the record, where a patch names one. */
                at?: string;
                /** @description What was to be done there. */
                edit?: string;
                /** @description What was sent; of a long value, its beginning. */
                sent?: unknown;
                /** @description Whether the value is not kept: it is secret, or of no known field. */
                withheld?: boolean;
                /**
                 * @description set: It holds what was sent. cleared: It holds nothing any more. same: It held that already. left: It stays as it was: a blank says nothing here. ignored: It is not the sender's to set, and was left out as they asked. refused: It cannot be so; code and detail say why. not saved: Nothing is wrong with it, but the request was refused for something else. followed: It was not sent, and a default, a rule or what it is derived from gave it this.
                 * @enum {unknown}
                 */
                outcome?: "set" | "cleared" | "same" | "left" | "ignored" | "refused" | "not saved" | "followed";
                /** @description What the field holds, where that is not what was sent. */
                now?: unknown;
                code?: string;
                detail?: string;
              }[];
            }[];
            /** @description Of many records, and of files. */
            counts?: {
              [key: string]: number;
            };
            /** @description Whether there was more than is kept. */
            left_out?: boolean;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  listAccounts: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The accounts. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Accounts"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  addAccount: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["AccountNew"];
      };
    };
    responses: {
      /** @description The account. */
      201: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Account"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readAccount: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The account's name. */
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The account. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Account"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  changeAccount: {
    parameters: {
      query?: never;
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
      };
      path: {
        /** @description The account's name. */
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["AccountPatch"];
        "application/merge-patch+json": components["schemas"]["AccountPatch"];
      };
    };
    responses: {
      /** @description The account. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Account"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  listNotices: {
    parameters: {
      query?: {
        /** @description In order, and only what is behind this; as `next` says. */
        after?: components["parameters"]["after_notice"];
        /** @description Only what is below this; as `next` says. */
        below?: components["parameters"]["below"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page of notices. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Notices"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  listSubscriptions: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Those that the caller may manage. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Subscriptions"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  addSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["SubscriptionNew"];
      };
    };
    responses: {
      /** @description The subscription, with its secret. */
      201: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["SubscriptionIssued"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The subscription. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Subscription"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  removeSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Done. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  changeSubscription: {
    parameters: {
      query?: never;
      header?: {
        /** @description Only if the record has this ETag (RFC 9110). */
        "If-Match"?: components["parameters"]["If-Match"];
      };
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["SubscriptionPatch"];
        "application/merge-patch+json": components["schemas"]["SubscriptionPatch"];
      };
    };
    responses: {
      /** @description The subscription. */
      200: {
        headers: {
          ETag?: string;
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Subscription"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      409: components["responses"]["conflict"];
      412: components["responses"]["version-mismatch"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  rotateSecret: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": components["schemas"]["SecretNew"];
      };
    };
    responses: {
      /** @description The new one. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Secret"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  testSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description It is about to be sent. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Delivery"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  resendSince: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        "application/json": {
          /**
           * Format: date-time
           * @description What came from then on is sent again.
           */
          since: string;
        };
      };
    };
    responses: {
      /** @description From where on. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            /** @description The place of the feed behind which it begins. */
            after: string;
          };
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      408: components["responses"]["body-timeout"];
      413: components["responses"]["too-large"];
      415: components["responses"]["unsupported-media"];
      422: components["responses"]["invalid"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  listDeliveries: {
    parameters: {
      query?: {
        /** @description Only those in this state. */
        state?: components["parameters"]["delivery_state"];
        /** @description Only what is below this; as `next` says. */
        below?: components["parameters"]["below"];
        /** @description How many to answer with at most. */
        limit?: components["parameters"]["limit"];
      };
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page of them. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Deliveries"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readDelivery: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The delivery. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["DeliveryResult"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  resend: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The subscription's name. */
        subscription: string;
        /** @description Its number. */
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description It is about to be sent. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Delivery"];
        };
      };
      400: components["responses"]["malformed"];
      401: components["responses"]["not-signed-in"];
      403: components["responses"]["not-permitted"];
      404: components["responses"]["not-found"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
      507: components["responses"]["storage-full"];
    };
  };
  readHealth: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description It is. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": components["schemas"]["Health"];
        };
      };
      400: components["responses"]["malformed"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
  readOpenapi: {
    parameters: {
      query?: {
        /** @description Only of this collection. */
        collection?: components["parameters"]["of_collection"];
        /** @description The version of OpenAPI. */
        openapi?: components["parameters"]["openapi"];
        /** @description Whether what is referred to stands in the place of each reference. */
        flat?: components["parameters"]["flat"];
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description It. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          "application/json": {
            [key: string]: unknown;
          };
        };
      };
      400: components["responses"]["malformed"];
      413: components["responses"]["too-large"];
      429: components["responses"]["too-many"];
      500: components["responses"]["internal"];
      503: components["responses"]["unavailable"];
    };
  };
}
