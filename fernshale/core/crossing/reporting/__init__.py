"""The crossing as a document for the team: gathered once as data, written as Markdown, HTML, a message, patches."""
