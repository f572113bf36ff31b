"""The pages that people without an account open by a link: what a pass shows, a form to send what is wrong,
and what has become of it. They work without JavaScript, and load nothing from elsewhere.

`pages.py` answers requests, `inputs.py` says what stands in the forms and reads what comes back,
`speaking.py` says it in the reader's language; `templates/` and `static/` are what they are made of.
Nothing here decides what may be seen or sent: `service/passes/` does.
"""
