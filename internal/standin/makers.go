package standin

// MakersRegistry says who makes the things of this world, in the form of the IEEE's comma-separated files.
const MakersRegistry = `Registry,Assignment,Organization Name,Organization Address
MA-L,02A110,Curlew Telephones,"3 Bell Lane, Lantern"
MA-L,02A120,Beacon Cameras,"Lens Yard, Kelp Bay"
MA-L,02A130,Gannet Computers,"Inland Park"
MA-L,02A140,Turnstile Works,"The Foundry, Lantern"
MA-L,02A150,Bosun Handhelds,"Dock Road, Kelp Bay"
MA-L,02A160,Plover Mobile,"Inland Park"
MA-L,02A170,Capstan Controls,"Dock Road, Kelp Bay"
MA-L,02F000,Saltmarsh Carriers,"1 Exchange Square"
`
