namespace drubble { void cliStub() {} }
