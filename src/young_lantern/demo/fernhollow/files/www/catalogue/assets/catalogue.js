document.title = "Catalogue";
